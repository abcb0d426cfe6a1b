// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/user_folders.h"

#include <pwd.h>
#include <unistd.h>

#include <cstdlib>
#include <string>

namespace tsukimi {
namespace fs = std::filesystem;

fs::path user_folder(const char* variable, const char* under_home) {
  if (const char* xdg = std::getenv(variable); xdg && *xdg == '/') return fs::path(xdg) / "tsukimi";
  const char* home = std::getenv("HOME");
  std::string found = home ? home : "";
  if (found.empty()) {
    passwd entry{}, *user = nullptr;
    char buffer[4096];
    if (getpwuid_r(getuid(), &entry, buffer, sizeof buffer, &user) == 0 && user)
      found = user->pw_dir;
  }
  return found.starts_with('/') && found != "/" ? fs::path(found) / under_home / "tsukimi"
                                                : fs::path();
}

fs::path data_folder() { return user_folder("XDG_DATA_HOME", ".local/share"); }

}  // namespace tsukimi
