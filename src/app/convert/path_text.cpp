// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/convert/path_text.h"

#include <QUrl>

#include "base/text.h"

namespace tsukimi::app {

QString shown_path(const std::filesystem::path& path) {
  return QString::fromStdString(printable(path.string()));
}

QString text_of(const std::filesystem::path& path) {
  return QString::fromStdString(to_json_name(path.string()));
}

std::filesystem::path path_of(const QString& text) { return from_json_name(text.toStdString()); }

// A URL carries the bytes of a path encoded; decoding them to text would lose those that are none.
std::filesystem::path path_of(const QUrl& url) {
  return QByteArray::fromPercentEncoding(url.path(QUrl::FullyEncoded).toLatin1()).toStdString();
}

QUrl url_of(const std::filesystem::path& path) {
  if (path.empty()) return {};
  std::error_code ec;
  const QByteArray bytes = QByteArray::fromStdString(std::filesystem::absolute(path, ec).string());
  return QUrl("file://" + QString::fromLatin1(bytes.toPercentEncoding("/")));
}

}  // namespace tsukimi::app
