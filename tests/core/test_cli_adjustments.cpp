// SPDX-License-Identifier: GPL-3.0-or-later
// Every adjustment from the command line to the exported pixels, set at one of two key frames.
#include <gtest/gtest.h>

#include "adjustments.h"
#include "camera/sensor_frame.h"
#include "core/cli_runner.h"

namespace tsukimi {
namespace {
using test::run;

// Twelve frames through a lens with faults: another evening than other tests use.
const fs::path& evening() {
  static const TempDir dir;
  static const fs::path folder = [] {
    const auto r = run("simulate --out " + (dir / "e").string() +
                       " --frames 12 --size 252x168 --seed 909 --lens");
    EXPECT_EQ(r.code, 0) << r.err;
    return dir / "e";
  }();
  return folder;
}

struct Film {
  Image first, last;
};

// The first and the last of the twelve frames as exported with these --set options.
Film film_with(const std::string& options) {
  const TempDir dir;
  const std::string shoot = (dir / "s.tsukimi").string(), out = (dir / "out").string();
  const auto planned =
      run("plan " + evening().string() + " --out " + shoot + " --keys 0,11" + options);
  EXPECT_EQ(planned.code, 0) << planned.err;
  for (const char* frames : {"0-0", "11-11"}) {
    const auto r = run("export " + shoot + " --to " + out + " --name f_## --format tiff16" +
                       " --frames " + frames);
    EXPECT_EQ(r.code, 0) << r.err;
  }
  auto first = read_frame(dir / "out" / "f_01.tif"), last = read_frame(dir / "out" / "f_12.tif");
  EXPECT_TRUE(first && last);
  return {std::move(first->rgb), std::move(last->rgb)};
}

std::string set(const ParameterInfo& row, double value, const char* at = "") {
  return " --set " + std::string(row.name) + "=" + std::to_string(value) + at;
}

double difference(const Image& a, const Image& b) {
  double most = 0;
  for (int c = 0; c < 3; ++c)
    for (std::size_t i = 0; i < a.planes[c].data.size(); ++i)
      most = std::max<double>(most, std::fabs(a.planes[c].data[i] - b.planes[c].data[i]));
  return most;
}

// Of the points of curves and ring, which come many times over, a few.
bool is_tried(const std::string& name) {
  if (name.find_first_of("123456") == std::string::npos) return true;
  return name.starts_with("hue_ring_5") || name.starts_with("tone_curve_2") ||
         name.starts_with("tone_curve_blue_3");
}

TEST(CliAdjustments, EachChangesTheFrameItIsSetAtAndNotTheOtherKey) {
  int tried = 0;
  std::map<std::string, Film> known;
  for (const auto& row : kLook.rows()) {
    if (!is_tried(row.name)) continue;
    ++tried;
    // What is not set is the camera's own; here it is the table's, so that many share one film.
    std::string others = " --set temperature=5500 --set tint=0";
    for (const auto& [p, value] : test::beside(row)) others += set(info(p), value);
    if (std::string(row.name).starts_with("airlight")) others += set(row, row.preset);
    if (!known.count(others)) known[others] = film_with(others);
    const Film& without = known[others];
    const Film with =
        film_with(others + set(row, test::shown_value(row), "@0") + set(row, row.preset, "@11"));
    EXPECT_GT(difference(without.first, with.first), 0.004) << row.name;
    EXPECT_EQ(difference(without.last, with.last), 0) << row.name;
    for (const auto& plane : with.first.planes)
      for (float v : plane.data) ASSERT_TRUE(v > -0.01f && v < 1.01f) << row.name;
  }
  EXPECT_GT(tried, 45);
}

}  // namespace
}  // namespace tsukimi
