// SPDX-License-Identifier: GPL-3.0-or-later
// Where programs under test keep what they keep for their user: folders of this run alone, made
// before anything else happens and whatever the caller's environment says. Nothing outside of them
// is ever emptied.
#pragma once

#include <stdlib.h>

#include <algorithm>
#include <filesystem>
#include <stdexcept>

namespace tsukimi::test {
namespace fs = std::filesystem;

class OwnFolders {
 public:
  OwnFolders() {
    std::string name = (fs::temp_directory_path() / "tsukimi-user-XXXXXX").string();
    root_ = fs::canonical(mkdtemp(name.data()));
    use();
  }
  ~OwnFolders() {
    std::error_code ec;
    fs::remove_all(root_, ec);
  }
  OwnFolders(const OwnFolders&) = delete;
  OwnFolders& operator=(const OwnFolders&) = delete;

  // Tests that set one of them by themselves bring it back with this.
  void use() const {
    for (const auto& [variable, folder] : {std::pair{"HOME", "home"},
                                           {"XDG_CACHE_HOME", "cache"},
                                           {"XDG_DATA_HOME", "data"},
                                           {"XDG_CONFIG_HOME", "config"}}) {
      fs::create_directories(root_ / folder);
      setenv(variable, (root_ / folder).c_str(), 1);
    }
  }
  // Removes a folder with all in it; throws when it is not one of ours.
  void clear(const fs::path& folder) const {
    const fs::path real = fs::weakly_canonical(folder);
    if (real == root_ ||
        std::mismatch(root_.begin(), root_.end(), real.begin()).first != root_.end())
      throw std::logic_error(folder.string() + " is not a folder of the tests");
    fs::remove_all(folder);
  }

 private:
  fs::path root_;
};
inline const OwnFolders own_folders;

}  // namespace tsukimi::test
