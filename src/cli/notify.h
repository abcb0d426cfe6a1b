// SPDX-License-Identifier: GPL-3.0-or-later
// The desktop's notifications (freedesktop.org Desktop Notifications Specification 1.2).
#pragma once

#include <string>

namespace tsukimi::cli {

// Where there is no desktop, nothing is said.
void notify_desktop(const std::string& title, const std::string& text, bool sound);

}  // namespace tsukimi::cli
