// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/mounted.h"

#include <gtest/gtest.h>

#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;

TEST(Mounted, CardsAreVolumesWithPictures) {
  const test::TempDir dir;
  for (const char* path : {"my card/DCIM/100TSUKI", "disk/Photos", "memory/DCIM", "small/dcim",
                           "desktop/gphoto2:host=quay/store/DCIM",
                           "desktop/smb-share:server=away/DCIM", "server/DCIM"})
    fs::create_directories(dir / path);
  std::ofstream(dir / "file") << "x";
  const std::string at = dir.path().string() + "/";
  std::ofstream(dir / "mounts") << "/dev/sdx1 " << at << "my\\040card vfat rw 0 0\n"
                                << "/dev/sdx2 " << at << "disk ext4 rw 0 0\n"
                                << "tmpfs " << at << "memory tmpfs rw 0 0\n"
                                << "/dev/sdx3 " << at << "small exfat rw 0 0\n"
                                << "/dev/sdx3 " << at << "small exfat rw 0 0\n"
                                << "/dev/sdx4 " << at << "gone vfat rw 0 0\n"
                                << "/dev/sdx5 " << at << "file vfat rw 0 0\n"
                                << "away:/ " << at << "server fuse.sshfs rw 0 0\n"
                                << "gvfsd-fuse " << at << "desktop fuse.gvfsd-fuse rw 0 0\n";
  EXPECT_EQ(mounted_cards(dir / "mounts"),
            (std::vector<fs::path>{dir / "desktop/gphoto2:host=quay/store", dir / "my card",
                                   dir / "small"}));
  EXPECT_TRUE(mounted_cards(dir / "nothing").empty());
}

}  // namespace
}  // namespace tsukimi
