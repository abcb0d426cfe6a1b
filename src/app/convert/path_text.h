// SPDX-License-Identifier: GPL-3.0-or-later
// Paths are bytes, what a screen, a field or the settings hold is Unicode. The window keeps paths
// and makes texts of them only here.
#pragma once

#include <QString>
#include <filesystem>

class QUrl;

namespace tsukimi::app {

// For people to read; no way leads back.
QString shown_path(const std::filesystem::path& path);

// For what is read again (a field, the settings): bytes that are no UTF-8 stand there as %XX, as in
// our documents (base/text.h). path_of(text_of(p)) == p for every path.
QString text_of(const std::filesystem::path& path);
std::filesystem::path path_of(const QString& text);

// Of a local file that was chosen in a dialog or dropped.
std::filesystem::path path_of(const QUrl& url);
QUrl url_of(const std::filesystem::path& path);

}  // namespace tsukimi::app
