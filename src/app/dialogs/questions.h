// SPDX-License-Identifier: GPL-3.0-or-later
// What the main window asks before something would be lost. Each shows a box and waits.
#pragma once

#include <QString>

class QWidget;

namespace tsukimi::app {

enum class Unsaved { save, drop, stay };
Unsaved ask_what_becomes_of_changes(QWidget* parent, const QString& shoot);

// Exports are being made when the window is closed.
enum class Leaving { go_on, pause, cancel, stay };
Leaving ask_what_becomes_of_exports(QWidget* parent);

// The shoot's file was changed elsewhere since it was read: what stays.
enum class KeptChanges { mine, theirs, beside, neither };
KeptChanges ask_which_changes_stay(QWidget* parent, const QString& file);

// One that is not there yet.
bool ask_to_make_folder(QWidget* parent, const QString& folder);

}  // namespace tsukimi::app
