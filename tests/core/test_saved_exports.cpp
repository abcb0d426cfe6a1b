// SPDX-License-Identifier: GPL-3.0-or-later
// Saved export settings: readable files, a few of our own, and what of a shoot they touch.
#include "cli_runner.h"
#include "output/saved_export.h"

namespace tsukimi {
namespace {
using test::Ran;
using test::run;
using test::shot_folder;

TEST(SavedExports, OursMakeWhatTheirNamesSay) {
  const auto ours = all_exports({});
  ASSERT_EQ(ours.size(), 5u);
  EXPECT_EQ(ours[0].job.frames.at(0).format, FileFormat::tiff16);
  EXPECT_EQ(ours[1].job.films.at(0).pixels.exact, (Size{3840, 2160}));
  EXPECT_EQ(ours[2].job.films.at(0).pixels.exact, (Size{1920, 1080}));
  EXPECT_EQ(ours[3].job.films.at(0).codec, Codec::prores422hq);
  EXPECT_EQ(ours[4].job.films.at(0).container, ".webm");
  for (const auto& one : ours)
    for (const auto& f : one.job.films) EXPECT_TRUE(check_film(f)) << one.name;
}

TEST(SavedExports, PlacesOfTheShootStay) {
  Decisions d;
  d.output.folder = "/there";
  d.output.copyright = "Moor";
  FilmSettings film = *usual_film(".mp4");
  film.file = "/films/evening.mp4";
  film.sound = "/sound.wav";
  d.films = {film};
  const auto ours = all_exports({});
  apply(ours[3], d);  // ProRes
  EXPECT_FALSE(d.makes_frames);
  EXPECT_EQ(d.films.at(0).file, "/films/evening.mov");
  EXPECT_EQ(d.films.at(0).sound, "/sound.wav");
  apply(ours[0], d);
  EXPECT_TRUE(d.makes_frames);
  EXPECT_TRUE(d.films.empty());
  EXPECT_EQ(d.output.folder, "/there");
  EXPECT_EQ(d.output.copyright, "Moor");
  EXPECT_EQ(d.output.format, FileFormat::tiff16);
  // What is kept names no place.
  d.films = {film};
  const SavedExport kept = saved_export("mine", d);
  EXPECT_EQ(kept.job.films.at(0).file, "");
  EXPECT_EQ(kept.job.films.at(0).sound, "");
  EXPECT_EQ(kept.job.frames.at(0).folder, "");
}

TEST(SavedExports, ComeBackFromTheirFilesAndDamageIsNamed) {
  const TempDir dir;
  SavedExport mine = all_exports({})[1];
  mine.name = "mine";
  mine.job.films[0].fps = 23.976;
  mine.job.films[0].bitrate = 50'000'000;
  mine.file = dir / "mine.json";
  ASSERT_TRUE(write_export(mine, mine.file));
  EXPECT_EQ(*read_export(mine.file), mine);
  auto text = *read_file(mine.file);
  std::string said(text.begin(), text.end());
  said.replace(said.find("\"h264\""), 6, "\"h999\"");
  std::ofstream(dir / "bad.json") << said;
  const auto bad = read_export(dir / "bad.json");
  ASSERT_FALSE(bad);
  EXPECT_NE(bad.error().message.find("codec"), std::string::npos) << bad.error().message;
  std::vector<std::string> wrong;
  EXPECT_EQ(all_exports(dir.path(), &wrong).size(), 6u);
  EXPECT_EQ(wrong.size(), 1u);
}

TEST(SavedExports, ByTheCommandLine) {
  const TempDir dir;
  const std::string home = "XDG_DATA_HOME=" + dir.path().string() + " ";
  auto settings = [&](const std::string& words) { return run("settings " + words, home); };
  EXPECT_EQ(settings("duplicate 'Loop for a page' Tiny").code, 0);
  EXPECT_EQ(settings("put-out Tiny " + (dir / "t.json").string()).code, 0);
  EXPECT_EQ(settings("remove Tiny").code, 0);
  EXPECT_EQ(settings("remove 'Loop for a page'").code, 1) << "ours stay";
  EXPECT_EQ(settings("bring-in " + (dir / "t.json").string()).code, 0);
  const Ran list = settings("list --json");
  const auto j = nlohmann::json::parse(list.out);
  EXPECT_EQ(j["settings"].size(), 6u);
  EXPECT_EQ(j["settings"][5]["films"][0]["codec"], "vp9");
  const fs::path shoot = dir / "h.tsukimi";
  ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + shoot.string()).code, 0);
  const Ran made =
      run("make " + shoot.string() + " --settings Tiny --frames 0-2 --to " + (dir / "out").string(),
          home);
  EXPECT_EQ(made.code, 0) << made.err;
  EXPECT_TRUE(fs::exists(dir / "out" / "h.webm"));
  EXPECT_EQ(run("make " + shoot.string() + " --settings Nothing", home).code, 2);
}

}  // namespace
}  // namespace tsukimi
