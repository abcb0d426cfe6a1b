// SPDX-License-Identifier: GPL-3.0-or-later
// The document and the export, from frames to files.
#include <gtest/gtest.h>
#include <lcms2.h>
#include <sys/wait.h>
#include <tiffio.h>
#include <unistd.h>

#include <exiv2/exiv2.hpp>
#include <random>

#include "base/file.h"
#include "document/files/shoot_file.h"
#include "document/framing/framing_edit.h"
#include "document/framing/output_size.h"
#include "document/values.h"
#include "film/film.h"
#include "output/export_manifest.h"
#include "output/folder_lock.h"
#include "output/name_pattern.h"
#include "support.h"

namespace tsukimi {
namespace {
namespace fs = std::filesystem;
using test::SmallShoot;
using test::TempDir;

const SmallShoot& ten() {
  static const SmallShoot shoot(
      [] {
        sim::CameraOptions c;
        c.frames = 10;
        c.seed = 31;
        return c;
      }(),
      {240, 160});
  return shoot;
}

Shoot open_ten(const fs::path& folder = ten().folder) { return *start_shoot(*scan_folder(folder)); }

TEST(KeyFrames, ValuesRunThroughThemExactly) {
  Shoot s = open_ten();
  set_value(s, Param::exposure, 2, 1.5);
  set_value(s, Param::exposure, 8, -0.5);
  set_value(s, Param::temperature, 2, 4000);
  set_value(s, Param::temperature, 8, 8000);
  const Course c = course_of(s);
  EXPECT_EQ(c.at(Param::exposure, 2), 1.5);
  EXPECT_EQ(c.at(Param::exposure, 8), -0.5);
  EXPECT_EQ(c.at(Param::exposure, 0), 1.5);
  EXPECT_DOUBLE_EQ(c.at(Param::temperature, 2), 4000);
  // Halfway in time is halfway in mired: 1e6 / 187.5.
  const auto axis = time_axis(s.sequence.frames);
  const double t = (axis[5] - axis[2]) / (axis[8] - axis[2]);
  EXPECT_NEAR(1e6 / c.at(Param::temperature, 5), 250 - 125 * t, 1e-6);
}

TEST(KeyFrames, MakingOneKeepsThePicture) {
  Shoot s = open_ten();
  set_value(s, Param::contrast, 0, 10);
  set_value(s, Param::contrast, 9, 60);
  const double before = course_of(s).at(Param::contrast, 4);
  add_key(s, 4);
  ASSERT_EQ(s.decisions.look.keys.size(), 3u);
  EXPECT_EQ(s.decisions.look.keys[1].frame, FrameId{4});
  EXPECT_DOUBLE_EQ(course_of(s).at(Param::contrast, 4), before);
  remove_key(s, 4);
  EXPECT_EQ(s.decisions.look.keys.size(), 2u);
}

TEST(KeyFrames, WholeSequenceMovesAllByTheSameAmount) {
  Shoot s = open_ten();
  set_value(s, Param::exposure, 0, 0.5);
  set_value(s, Param::exposure, 9, 1.5);
  set_value(s, Param::exposure, 0, 1.0, true);
  EXPECT_DOUBLE_EQ(s.decisions.look.keys[0].values[Param::exposure], 1.0);
  EXPECT_DOUBLE_EQ(s.decisions.look.keys[1].values[Param::exposure], 2.0);
}

TEST(ShootFile, EverythingComesBack) {
  TempDir dir;
  Shoot s = open_ten();
  set_value(s, Param::exposure, 3, 0.75);
  set_value(s, Param::saturation, 9, -20);
  s.decisions.look.keys[1].easing = Easing::eased;
  s.decisions.level = {true,
                       0.3,
                       false,
                       {{FrameId{2}, StepUse::by_hand, 0.4}, {FrameId{7}, StepUse::nominal, 0}},
                       {{FrameId{0}, -0.5}, {FrameId{9}, 1}}};
  s.decisions.deflicker = {true,
                           18,
                           0.4,
                           {{AreaShape::ellipse, {0.1, 0.2, 0.3, 0.4}, {}, true},
                            freehand_area({{0.1, 0.9}, {0.3, 0.95}, {0.2, 0.6}}, false)},
                           Uneven::on,
                           Uneven::off,
                           {{FrameId{4}, 0.25}}};
  s.decisions.framing = {"16:9", crop_to_aspect(s.sequence.size, 16.0 / 9)};
  s.decisions.fps = 25;
  s.decisions.in = 1;
  s.decisions.out = 8;
  s.decisions.output = {.folder = (dir / "out").string(),
                        .pattern = "a_####",
                        .format = FileFormat::tiff16,
                        .quality = 80,
                        .pixels = {{320, 180}}};
  FilmSettings film = *usual_film(".mov");
  film.file = (dir / "films" / "evening.mov").string();
  film.sound = (dir / "tone.wav").string();
  film.fps = 23.976;
  film.poster = 3;
  film.pixels.long_edge = 1200;
  s.decisions.films = {film, *usual_film(".gif")};
  s.decisions.makes_frames = false;
  ASSERT_TRUE(save_shoot(s, dir / "x.tsukimi"));
  const auto back = open_shoot(dir / "x.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->decisions, s.decisions);
  EXPECT_EQ(back->as_shot.kelvin, s.as_shot.kelvin);
  EXPECT_EQ(back->frame_count(), 10);
}

// In the file frames are places in its list, whatever ids they had.
TEST(ShootFile, AnotherOrderIsKept) {
  TempDir dir;
  Shoot s = open_ten();
  for (auto& f : s.sequence.frames) f.time = 2e9 - f.time;
  set_value(s, Param::exposure, 2, 1);
  set_aside(s, {4}, true);
  look_at(s, 0);
  sort_shoot(s, FrameOrder::time);
  ASSERT_EQ(key_places(s), std::vector<int>{7});
  ASSERT_TRUE(save_shoot(s, dir / "x.tsukimi"));
  const auto back = open_shoot(dir / "x.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->decisions.order, FrameOrder::time);
  for (int i = 0; i < 10; ++i)
    EXPECT_EQ(back->sequence.frames[i].file, s.sequence.frames[i].file) << i;
  EXPECT_EQ(key_places(*back), std::vector<int>{7});
  EXPECT_TRUE(is_set_aside(*back, 5));
  EXPECT_TRUE(is_looked_at(*back, 9));
  EXPECT_EQ(moved_to(back->decisions, back->sequence, s.sequence), s.decisions);
}

// Key frames made between others hold values that were computed; those at the ends of their range
// must not leave it by rounding, or the file would be refused.
TEST(ShootFile, WhateverIsSavedCanBeOpened) {
  TempDir dir;
  std::mt19937 random(7);
  for (int round = 0; round < 12; ++round) {
    Shoot s = open_ten();
    const bool high = round % 2;
    for (int frame : {0, 1 + static_cast<int>(random() % 8), 9})
      for (const auto& row : kLook.rows()) set_value(s, row.id, frame, high ? row.max : row.min);
    for (int frame = 0; frame < 10; ++frame) add_key(s, frame);
    for (const auto& key : s.decisions.look.keys)
      for (const auto& row : kLook.rows()) {
        EXPECT_GE(key.values[row.id], row.min) << row.name;
        EXPECT_LE(key.values[row.id], row.max) << row.name;
      }
    const Size frame{301 + static_cast<int>(random() % 999),
                     201 + static_cast<int>(random() % 999)};
    s.decisions.framing.crop =
        moved_inside(crop_to_aspect(frame, 0.2 + static_cast<double>(random() % 300) / 100),
                     static_cast<double>(random() % 100) / 99, 1);
    ASSERT_TRUE(save_shoot(s, dir / "x.tsukimi", Replace::any));
    const auto back = open_shoot(dir / "x.tsukimi");
    ASSERT_TRUE(back) << back.error().message;
    EXPECT_EQ(back->decisions, s.decisions);
  }
}

// A number that rounding put a hair outside is taken for the end of its range.
TEST(ShootFile, AHairOutsideIsNoDamage) {
  TempDir dir;
  Shoot s = open_ten();
  add_key(s, 3);
  ASSERT_TRUE(save_shoot(s, dir / "x.tsukimi"));
  auto bytes = *read_file(dir / "x.tsukimi");
  std::string text(bytes.begin(), bytes.end());
  const std::string whole = "\"tone_curve_white\": 100.0";
  const auto at = text.find(whole);
  ASSERT_NE(at, std::string::npos);
  text.replace(at, whole.size(), "\"tone_curve_white\": 100.00000000000001");
  bytes.assign(text.begin(), text.end());
  ASSERT_TRUE(write_file(dir / "x.tsukimi", bytes, IfExists::replace, false));
  const auto back = open_shoot(dir / "x.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  EXPECT_EQ(back->decisions, s.decisions);
}

TEST(ShootFile, PathsAreRelative) {
  TempDir dir;
  fs::create_directories(dir / "a");
  fs::copy(ten().folder, dir / "a" / "frames", fs::copy_options::recursive);
  ASSERT_TRUE(save_shoot(open_ten(dir / "a" / "frames"), dir / "a" / "s.tsukimi"));
  fs::rename(dir / "a", dir / "moved");
  EXPECT_TRUE(open_shoot(dir / "moved" / "s.tsukimi"));
}

TEST(ShootFile, NewerBrokenAndForeignFilesAreRefusedAndLeftAlone) {
  TempDir dir;
  ASSERT_TRUE(save_shoot(open_ten(), dir / "good.tsukimi"));
  const auto bytes = *read_file(dir / "good.tsukimi");
  const std::string good(bytes.begin(), bytes.end());
  auto with = [&](const std::string& from, const std::string& to) {
    std::string s = good;
    const auto at = s.find(from);
    EXPECT_NE(at, std::string::npos) << from;
    return s.replace(at, from.size(), to);
  };
  const std::pair<std::string, const char*> cases[] = {
      {with("\"schema\": 9", "\"schema\": 99"), "newer"},
      {good.substr(0, good.size() / 2), "damaged"},
      {"", "damaged"},
      {"{\"a\": 1}", "not a Tsukimi shoot"},
      {with("\"period\": 24.0", "\"period\": -3"), "period"},
      {with("\"fps\": 24.0", "\"fps\": \"fast\""), "damaged"},
  };
  for (const auto& [text, word] : cases) {
    ASSERT_TRUE(write_file(dir / "bad.tsukimi", text, IfExists::replace));
    const auto r = open_shoot(dir / "bad.tsukimi");
    ASSERT_FALSE(r) << word;
    EXPECT_NE(r.error().message.find(word), std::string::npos) << r.error().message;
    const auto after = *read_file(dir / "bad.tsukimi");
    EXPECT_EQ(std::string(after.begin(), after.end()), text);
  }
}

// Nothing in the file is passed over: whatever is of another kind, out of its range or unknown is
// named, and the file stays as it is.
TEST(ShootFile, EveryFieldIsCheckedAndNamed) {
  TempDir dir;
  Shoot shoot = open_ten();
  set_value(shoot, Param::exposure, 2, 0.5);
  shoot.decisions.look.keys[0].easing = Easing::hold;
  shoot.decisions.brackets = {3, 1.5, 2, {{"TSK_0001.dng", -1}}};
  shoot.decisions.set_aside = {FrameId{4}};
  shoot.decisions.looked_at = {FrameId{5}};
  shoot.decisions.deflicker.areas = {{AreaShape::rectangle, {0.1, 0.1, 0.3, 0.3}, {}, false},
                                     {AreaShape::ellipse, {0.2, 0.5, 0.3, 0.3}, {}, true},
                                     freehand_area({{0.1, 0.9}, {0.3, 0.95}, {0.2, 0.6}}, false)};
  shoot.decisions.deflicker.softened = {{FrameId{3}, 0.25}};
  shoot.decisions.level.choices = {{FrameId{2}, StepUse::ignored, 0},
                                   {FrameId{6}, StepUse::by_hand, -0.4}};
  shoot.decisions.level.evening = {{FrameId{0}, 0}, {FrameId{9}, -1.5}};
  shoot.decisions.films = {*usual_film(".mp4")};
  propose_glide(shoot, GlideKind::push_in);
  shoot.decisions.framing.steady.areas = {{0.1, 0.1, 0.3, 0.3}};
  set_value(shoot, Param::star_hold, 4, 50);
  shoot.decisions.trails.kind = TrailKind::comet;
  set_value(shoot, Param::trail_length, 2, 30);
  LocalPlace place = new_place("sky", ShapeKind::graduated, FrameId{1});
  place.shapes.push_back(new_shape(ShapeKind::ellipse, FrameId{2}));
  place.shapes.push_back(new_shape(ShapeKind::painted, FrameId{3}));
  place.shapes[2].painted[0].painting = Painting({{0.1, 50, 100, false, {{0.1, 0.2}}}});
  place.values.keys[0].values[Param::place_exposure] = 1;
  place.values.keys[0].easing = Easing::eased;
  shoot.decisions.places = {place};
  ASSERT_TRUE(save_shoot(shoot, dir / "good.tsukimi"));
  const auto bytes = *read_file(dir / "good.tsukimi");
  const auto good = nlohmann::json::parse(bytes.begin(), bytes.end());
  auto refused = [&](const nlohmann::json& j, const std::string& word) {
    ASSERT_TRUE(write_file(dir / "bad.tsukimi", j.dump(), IfExists::replace));
    const auto r = open_shoot(dir / "bad.tsukimi");
    ASSERT_FALSE(r) << word << " " << j.dump().substr(0, 300);
    EXPECT_NE(r.error().message.find(word), std::string::npos) << r.error().message;
    EXPECT_NE(r.error().message.find("bad.tsukimi"), std::string::npos);
    EXPECT_EQ(read_file(dir / "bad.tsukimi")->size(), j.dump().size());
  };
  // Every value there is, as something of another kind.
  const auto flat = good.flatten();
  std::set<std::string> tried;
  for (const auto& [path, value] : flat.items()) {
    const nlohmann::json::json_pointer at(path);
    const std::string name = at.back();
    const auto is_place = [](const std::string& key) {
      return !key.empty() && std::isdigit(static_cast<unsigned char>(key[0]));
    };
    const bool in_list = is_place(name);
    auto list = at.parent_pointer();
    while (!list.empty() && is_place(list.back())) list = list.parent_pointer();
    const std::string holder = list.empty() ? "" : list.back();
    if (path.find("/look/") != std::string::npos && !tried.insert(name).second) continue;
    for (const nlohmann::json& other :
         {nlohmann::json(nullptr), nlohmann::json::object(), nlohmann::json(true),
          value.is_string() ? nlohmann::json(5) : nlohmann::json("x")}) {
      if (other.type() == value.type()) continue;
      auto j = good;
      j[at] = other;
      if (name == "format" && holder.empty())
        refused(j, "not a Tsukimi shoot");
      else
        refused(j, in_list ? holder : name);
    }
  }
  auto with = [&](const std::string& path, const nlohmann::json& value) {
    auto j = good;
    j[nlohmann::json::json_pointer(path)] = value;
    return j;
  };
  refused(with("/decisions/key_frames/0/look", 5), "look");
  refused(with("/decisions/key_frames", nullptr), "key_frames");
  refused(with("/decisions/key_frames/0/look/exposrue", 1), "exposrue");
  refused(with("/schema", 2147483648ll), "schema");
  refused(with("/schema", 18446744073709551615ull), "schema");
  refused(with("/schema", 0), "schema");
  refused(with("/schema", 1.5), "schema");
  refused(with("/decisions/export/format", "webp"), "format");
  refused(with("/decisions/key_frames/0/easing", "jump"), "easing");
  refused(with("/decisions/order", "size"), "order");
  refused(with("/decisions/aside", "maybe"), "aside");
  refused(with("/pairs", "both"), "pairs");
  refused(with("/decisions/framing/crop", {0, 0, 1e-300, 1e-300}), "crop");
  refused(with("/decisions/framing/crop", {0.5, 0, 0.6, 1}), "crop");
  refused(with("/decisions/framing/aspect", "wide"), "aspect");
  refused(with("/decisions/export/size", {0, 500}), "size");
  refused(with("/decisions/export/size", {1e9, 500}), "size");
  refused(with("/decisions/set_aside", {10}), "set_aside");
  refused(with("/decisions/out", 40), "out");
  refused(with("/decisions/in", -1), "in");
  refused(with("/frames/0", "a/b.dng"), "frames");
  refused(with("/decisions/films/0/codec", "vhs"), "codec");
  refused(with("/decisions/films/0/codec", "prores422"), "codec");  // not in MP4
  refused(with("/decisions/films/0/quality", 101), "quality");
  refused(with("/decisions/deflicker/areas/0/shape", "circle"), "shape");
  refused(with("/decisions/deflicker/areas/1/box", {0.5, 0.5, 0.9, 0.9}), "box");
  refused(with("/decisions/deflicker/areas/2/outline", {{0.1, 0.1}, {0.2, 0.2}}), "outline");
  refused(with("/decisions/deflicker/areas/2/outline/0/1", 1.5), "outline");
  refused(with("/decisions/deflicker/areas/2/box", {0, 0, 1, 1}), "box");
  refused(with("/decisions/deflicker/softened/0/share", 1.5), "share");
  refused(with("/decisions/deflicker/softened/0/frame", 10), "frame");
  refused(with("/decisions/level/steps/0/use", "guessed"), "use");
  refused(with("/decisions/level/steps/1/stops", 99), "stops");
  refused(with("/decisions/level/steps/1/frame", 2), "twice");
  refused(with("/decisions/level/evening/1/stops", -11), "stops");
  refused(with("/decisions/brackets/set_size", 10), "set_size");
  refused(with("/decisions/brackets/shot", -1), "shot");
  refused(with("/decisions/brackets/shot", 4), "shot");
  refused(with("/decisions/brackets/moved/0/to", "away"), "to");
  refused(with("/frames/1", {"x.dng", 5}), "frames");
  refused(with("/frames/1", {"x.dng", "x.dng"}), "twice");
  refused(with("/decisions/films/0/fps", 0.5), "fps");
  refused(with("/decisions/trails/every", 101), "every");
  refused(with("/decisions/trails/lengths/0/fade", 0), "fade");
  refused(with("/decisions/framing/steady/stars/0/hold", 101), "hold");
  refused(with("/frames/0", good["frames"][1]), "twice");
  // And every one that is missing, but for those that the first files did not have.
  const std::set<std::string> may{
      "order",     "aside",     "set_aside",  "looked_at",    "pairs",    "whole_folder", "areas",
      "softened",  "steps",     "evening",    "first_number", "chroma",   "compression",  "space",
      "long_edge", "copyright", "icc",        "location",     "sidecars", "makes_frames", "films",
      "uneven",    "colour",    "find_steps", "places",       "repairs",  "straighten",   "glide",
      "steady",    "pace",      "brackets",   "trails"};
  for (const char* part : {"", "/decisions", "/decisions/level", "/decisions/deflicker",
                           "/decisions/framing", "/decisions/export", "/as_shot"}) {
    const nlohmann::json::json_pointer at(part);
    for (const auto& [name, ignored] : good[at].items()) {
      if (may.count(name)) continue;
      auto j = good;
      j[at].erase(name);
      refused(j, name == "format" && at.empty() ? "not a Tsukimi shoot" : name);
    }
  }
}

// Before schema 7 there was one steady area, a box.
TEST(ShootFile, AnOldSteadyAreaIsRead) {
  TempDir dir;
  Shoot shoot = open_ten();
  shoot.decisions.deflicker.areas = {{}};
  ASSERT_TRUE(save_shoot(shoot, dir / "s.tsukimi"));
  const auto bytes = *read_file(dir / "s.tsukimi");
  auto j = nlohmann::json::parse(bytes.begin(), bytes.end());
  j["schema"] = 6;
  for (const char* later : {"areas", "softened"}) j["decisions"]["deflicker"].erase(later);
  for (const char* later : {"steps", "evening"}) j["decisions"]["level"].erase(later);
  j["decisions"]["deflicker"]["steady_area"] = {0.1, 0.2, 0.3, 0.4};
  ASSERT_TRUE(write_file(dir / "s.tsukimi", j.dump(), IfExists::replace));
  const auto back = open_shoot(dir / "s.tsukimi");
  ASSERT_TRUE(back) << back.error().message;
  const auto& areas = back->decisions.deflicker.areas;
  ASSERT_EQ(areas.size(), 1u);
  EXPECT_EQ(areas[0], (SteadyArea{AreaShape::rectangle, {0.1, 0.2, 0.3, 0.4}, {}, false}));
}

TEST(ShootFile, AFrameThatDisappearedIsNamed) {
  TempDir dir;
  fs::copy(ten().folder, dir / "f", fs::copy_options::recursive);
  const Shoot s = open_ten(dir / "f");
  ASSERT_TRUE(save_shoot(s, dir / "s.tsukimi"));
  fs::remove(dir / "f" / s.sequence.frames[4].file);
  const auto back = open_shoot(dir / "s.tsukimi");
  ASSERT_TRUE(back);
  EXPECT_EQ(back->frame_count(), 10);
  EXPECT_NE(back->sequence.frames[4].problem.find("no longer"), std::string::npos);
  EXPECT_EQ(film_frames(*back).size(), 10u) << "its number stays free";
}

TEST(NamePattern, NumbersAndRefusals) {
  EXPECT_EQ(numbered_name("harbour_#####", 42), "harbour_00042");
  EXPECT_EQ(numbered_name("a##b", 7), "a07b");
  EXPECT_TRUE(check_pattern("x_###", 999));
  for (const char* bad : {"none", "a#b#", "dir/###", ".###"})
    EXPECT_FALSE(check_pattern(bad, 5)) << bad;
  EXPECT_FALSE(check_pattern("x_##", 100));
}

class Export : public ::testing::Test {
 protected:
  TempDir dir;
  Shoot shoot = open_ten();
  LightPlan plan;

  Export() {
    shoot.decisions.output = {.folder = (dir / "out").string(),
                              .pattern = "h_####",
                              .format = FileFormat::jpeg,
                              .quality = 90};
  }
  Result<ExportReport> run(ExportRange range = {}, bool overwrite = false, Work work = {}) {
    return test::exported(shoot, plan, range, overwrite, work);
  }
  int files(const std::string& ext) const {
    int n = 0;
    for (const auto& e : fs::directory_iterator(dir / "out")) n += e.path().extension() == ext;
    return n;
  }
};

TEST_F(Export, NumberedWithoutGapsInTheSizeAsked) {
  shoot.decisions.framing = {"16:9", crop_to_aspect(shoot.sequence.size, 16.0 / 9)};
  shoot.decisions.output.format = FileFormat::tiff16;
  shoot.decisions.output.pixels.exact = {192, 108};
  const auto r = run();
  ASSERT_TRUE(r) << r.error().message;
  EXPECT_EQ(r->written, 10);
  EXPECT_TRUE(r->complete());
  for (int i = 1; i <= 10; ++i) {
    const auto file = dir / "out" / (numbered_name("h_####", i) + ".tif");
    ASSERT_TRUE(fs::exists(file)) << file;
    std::unique_ptr<TIFF, void (*)(TIFF*)> tif(TIFFOpen(file.c_str(), "r"), TIFFClose);
    ASSERT_TRUE(tif);
    std::uint32_t w = 0, h = 0, icc = 0;
    std::uint16_t bits = 0;
    void* data = nullptr;
    TIFFGetField(tif.get(), TIFFTAG_IMAGEWIDTH, &w);
    TIFFGetField(tif.get(), TIFFTAG_IMAGELENGTH, &h);
    TIFFGetField(tif.get(), TIFFTAG_BITSPERSAMPLE, &bits);
    EXPECT_EQ(w, 192u);
    EXPECT_EQ(h, 108u);
    EXPECT_EQ(bits, 16);
    ASSERT_TRUE(TIFFGetField(tif.get(), TIFFTAG_ICCPROFILE, &icc, &data));
    cmsHPROFILE profile = cmsOpenProfileFromMem(data, icc);
    ASSERT_TRUE(profile);
    EXPECT_EQ(cmsGetColorSpace(profile), cmsSigRgbData);
    cmsCloseProfile(profile);
  }
}

TEST_F(Export, JpegCarriesProfileAndCaptureMetadata) {
  ASSERT_TRUE(run({0, 0}));
  auto image = Exiv2::ImageFactory::open((dir / "out" / "h_0001.jpg").string());
  image->readMetadata();
  EXPECT_TRUE(image->iccProfileDefined());
  const auto& exif = image->exifData();
  auto text = [&](const char* key) {
    const auto it = exif.findKey(Exiv2::ExifKey(key));
    return it == exif.end() ? std::string() : it->toString();
  };
  EXPECT_EQ(text("Exif.Photo.ExposureTime"), "1/100");
  EXPECT_EQ(text("Exif.Photo.ISOSpeedRatings"), "100");
  EXPECT_EQ(text("Exif.Image.Model"), "Tidewater S1");
  EXPECT_FALSE(text("Exif.Photo.DateTimeOriginal").empty());
  EXPECT_EQ(image->pixelWidth(), 240u);
  EXPECT_EQ(image->pixelHeight(), 160u);
}

TEST_F(Export, MetadataAreWhatTheStandardAsksFor) {
  for (const auto format : {FileFormat::jpeg, FileFormat::tiff16}) {
    shoot.decisions.output.format = format;
    ASSERT_TRUE(run({0, 0}));
    auto image = Exiv2::ImageFactory::open(
        (dir / "out" / (format == FileFormat::jpeg ? "h_0001.jpg" : "h_0001.tif")).string());
    image->readMetadata();
    const auto& exif = image->exifData();
    auto text = [&](const char* key) {
      const auto it = exif.findKey(Exiv2::ExifKey(key));
      return it == exif.end() ? std::string("none") : it->toString();
    };
    EXPECT_EQ(text("Exif.Image.Make"), "Tidewater");
    EXPECT_EQ(text("Exif.Image.Model"), "Tidewater S1");
    EXPECT_EQ(text("Exif.Image.XResolution"), "72/1");
    EXPECT_EQ(text("Exif.Image.YResolution"), "72/1");
    EXPECT_EQ(text("Exif.Image.ResolutionUnit"), "2");
    EXPECT_EQ(text("Exif.Photo.ExifVersion"), "48 50 51 50");
    EXPECT_EQ(text("Exif.Photo.ColorSpace"), "1");
    EXPECT_EQ(text("Exif.Photo.FNumber"), "56/10");
    EXPECT_EQ(text("Exif.Photo.FocalLength"), "28/1");
    EXPECT_EQ(text("Exif.Photo.FlashpixVersion"), "48 49 48 48");
  }
}

TEST_F(Export, TheSameBytesEveryTimeAndOnAnyNumberOfThreads) {
  ASSERT_TRUE(run({2, 3}));
  const auto first = *read_file(dir / "out" / "h_0003.jpg");
  shoot.decisions.output.folder = (dir / "again").string();
  const ThreadLimit limit(1);
  ASSERT_TRUE(run({3, 3}));
  ASSERT_TRUE(run({2, 2}));
  EXPECT_EQ(first, *read_file(dir / "again" / "h_0003.jpg"));
}

TEST_F(Export, GoesOnWhereItStopped) {
  ASSERT_TRUE(run({0, 3}));
  const auto time = fs::last_write_time(dir / "out" / "h_0002.jpg");
  const auto r = run();
  ASSERT_TRUE(r);
  EXPECT_EQ(r->kept, 4);
  EXPECT_EQ(r->written, 6);
  EXPECT_EQ(fs::last_write_time(dir / "out" / "h_0002.jpg"), time);
}

TEST_F(Export, CancelLeavesWholeFilesAndCanGoOn) {
  std::atomic<bool> stop{false};
  const auto r = run({}, false, {[&](int done, int) { stop = done >= 3; }, &stop});
  ASSERT_TRUE(r);
  EXPECT_TRUE(r->cancelled);
  EXPECT_EQ(files(".jpg"), r->written);
  EXPECT_EQ(files(".part"), 0);
  EXPECT_LT(r->written, 10);
  const auto rest = run();
  EXPECT_EQ(rest->kept + rest->written, 10);
  EXPECT_EQ(rest->kept, r->written);
}

// Killed between the manifest and the names: some files have none yet. And a disk that damaged one.
TEST_F(Export, ACrashIsMadeGood) {
  ASSERT_TRUE(run());
  const auto out = dir / "out";
  const auto whole = *read_file(out / "h_0005.jpg");
  Manifest manifest = *read_manifest(out);
  ASSERT_EQ(manifest.files.size(), 10u);
  fs::resize_file(out / "h_0005.jpg", 100);
  for (int i = 8; i <= 10; ++i) fs::remove(out / (numbered_name("h_####", i) + ".jpg"));
  std::ofstream(out / ".tsukimi-999999999-3.part") << "half a frame";  // of nobody who is alive
  // Nor is one that has ended, but of whom nobody has asked how.
  const pid_t ended = fork();
  if (ended == 0) _exit(0);
  siginfo_t info{};
  waitid(P_PID, static_cast<id_t>(ended), &info, WEXITED | WNOWAIT);
  std::ofstream(out / (".tsukimi-" + std::to_string(ended) + "-1.part")) << "half a frame";
  const auto r = run();
  ASSERT_TRUE(r) << r.error().message;
  EXPECT_EQ(r->kept, 6);
  EXPECT_EQ(r->written, 4);
  EXPECT_EQ(*read_file(out / "h_0005.jpg"), whole);
  EXPECT_EQ(files(".part"), 0);
  // A file that is not in the manifest is somebody else's.
  manifest = *read_manifest(out);
  manifest.files.erase("h_0007.jpg");
  fs::remove(out / kManifestName);
  ASSERT_TRUE(add_to_manifest(out, manifest));
  EXPECT_FALSE(run());
}

// What another has put under a name of ours meanwhile is not replaced, whatever its size.
TEST_F(Export, OnlyWhatWeWroteIsOurs) {
  ASSERT_TRUE(run({0, 3}));
  const auto out = dir / "out";
  const auto bytes = fs::file_size(out / "h_0002.jpg");
  fs::remove(out / "h_0002.jpg");
  // Shorter, as long and longer; each with the inode of our file, which disks do give away again.
  for (const auto size : {bytes / 2, bytes, bytes + 1}) {
    const std::string holiday(size, 'h');
    std::ofstream(out / "h_0002.jpg") << holiday;
    fs::last_write_time(out / "h_0002.jpg",
                        fs::file_time_type::clock::now() + std::chrono::hours(1));
    Manifest manifest = *read_manifest(out);
    manifest.files["h_0002.jpg"].stamp.inode = stamp_of(out / "h_0002.jpg")->inode;
    ASSERT_TRUE(add_to_manifest(out, manifest));
    const auto r = run();
    ASSERT_FALSE(r) << size;
    EXPECT_EQ(r.error().code, ErrorCode::exists);
    const auto still = *read_file(out / "h_0002.jpg");
    EXPECT_EQ(std::string(still.begin(), still.end()), holiday);
  }
}

// Our own file, worked on by somebody since: what they added is not thrown away.
TEST_F(Export, AFrameThatWasWorkedOnIsLeft) {
  ASSERT_TRUE(run({0, 3}));
  const auto file = dir / "out" / "h_0002.jpg";
  std::ofstream(file, std::ios::app) << "retouched";
  const auto retouched = *read_file(file);
  const auto r = run();
  ASSERT_FALSE(r);
  EXPECT_EQ(r.error().code, ErrorCode::exists);
  EXPECT_EQ(*read_file(file), retouched);
}

TEST_F(Export, AFolderThatWasCopiedGoesOn) {
  ASSERT_TRUE(run({0, 3}));
  fs::create_directories(dir / "moved");
  for (const auto& e : fs::directory_iterator(dir / "out")) {
    fs::copy(e.path(), dir / "moved" / e.path().filename());
    fs::last_write_time(dir / "moved" / e.path().filename(), fs::last_write_time(e.path()));
  }
  shoot.decisions.output.folder = (dir / "moved").string();
  const auto r = run();
  ASSERT_TRUE(r) << r.error().message;
  EXPECT_EQ(r->kept, 4);
  EXPECT_EQ(r->written, 6);
}

TEST_F(Export, TheSecondIntoOneFolderIsRefusedAndNamesTheFirst) {
  fs::create_directories(dir / "out");
  {
    const auto lock = FolderLock::take(dir / "out", "the frames of /shoots/ferry");
    ASSERT_TRUE(lock);
    const auto r = run();
    ASSERT_FALSE(r);
    EXPECT_NE(r.error().message.find("/shoots/ferry"), std::string::npos);
  }
  EXPECT_TRUE(run());
  EXPECT_FALSE(fs::exists(dir / "out" / ".tsukimi-export.lock"));
}

TEST_F(Export, AManifestThatMakesNoSenseHarmsNobody) {
  fs::create_directories(dir / "out");
  const auto file = dir / "out" / "tsukimi-export.jsonl";
  std::ofstream(file) << R"({"format":"tsukimi export"}
{"file":"a","recipe":5}
{"file":"h_0001.jpg","recipe":"x","bytes":-1}
[]
{"pattern":7}
{"file":"h_00)";
  EXPECT_TRUE(run({0, 1}));
  for (const char* foreign : {"my notes", R"({"frames":{}})", "[]"}) {
    std::ofstream(file) << foreign;
    const auto r = run();
    ASSERT_FALSE(r);
    EXPECT_NE(r.error().message.find("tsukimi-export.jsonl"), std::string::npos);
    EXPECT_EQ(read_file(file)->size(), std::string(foreign).size());
  }
}

TEST_F(Export, WhatIsTakenAwayMeanwhileIsNotCalledSafe) {
  // Kept from before, and removed while the rest is made.
  ASSERT_TRUE(run({0, 3}));
  bool removed = false;
  const auto r = run({}, false,
                     {[&](int done, int) {
                        if (done == 6 && !removed) removed = fs::remove(dir / "out" / "h_0002.jpg");
                      },
                      nullptr});
  ASSERT_TRUE(r);
  EXPECT_EQ(r->written + r->kept, 9);
  EXPECT_FALSE(r->complete());
  EXPECT_NE(r->problems.back().find("9 of 10 frames are safe"), std::string::npos);
}

TEST_F(Export, TheWholeFolderGoneIsNotCalledSafe) {
  bool removed = false;
  const auto r = run({}, false,
                     {[&](int done, int) {
                        if (done < 5 || std::exchange(removed, true)) return;
                        fs::rename(dir / "out", dir / "elsewhere");  // at one stroke
                      },
                      nullptr});
  ASSERT_TRUE(r);
  EXPECT_EQ(r->written, 0);
  EXPECT_FALSE(r->complete());
}

TEST_F(Export, SizesAreCheckedBeforeMemoryIsAskedFor) {
  shoot.decisions.output.pixels.exact = {65000, 65000};
  shoot.decisions.output.format = FileFormat::tiff16;
  const auto r = run();
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("65000×65000"), std::string::npos);
  EXPECT_FALSE(fs::exists(dir / "out"));
}

TEST_F(Export, ChangedSettingsAreNotMixedIntoOldFrames) {
  ASSERT_TRUE(run());
  set_value(shoot, Param::exposure, 0, 1.0);
  const auto refused = run();
  ASSERT_FALSE(refused);
  EXPECT_NE(refused.error().message.find("h_0001.jpg"), std::string::npos);
  const auto r = run({}, true);
  ASSERT_TRUE(r);
  EXPECT_EQ(r->written, 10);
}

// Whatever decides the bytes of a file is in its recipe: a change of it is never mixed with frames
// of before.
TEST_F(Export, EveryChangeOfTheOutputIsAnotherRecipe) {
  auto recipe = [&](const std::function<void(Shoot&)>& change) {
    Shoot s = shoot;
    change(s);
    return export_recipe(film_recipe(s, courses_of(s), plan, itself(3), View{}),
                         s.decisions.output);
  };
  const std::string plain = recipe([](Shoot&) {});
  EXPECT_EQ(plain, recipe([](Shoot& s) { s.decisions.output.pattern = "other_####"; }));
  std::set<std::string> all{plain};
  const std::vector<std::function<void(Shoot&)>> changes{
      [](Shoot& s) { s.decisions.output.quality = 91; },
      [](Shoot& s) { s.decisions.output.format = FileFormat::tiff16; },
      [](Shoot& s) {
        s.decisions.output.pixels.exact = {120, 80};
      },
      [](Shoot& s) {
        s.decisions.framing.crop = {0, 0, 0.5, 0.5};
      },
      [](Shoot& s) {
        s.decisions.framing.crop = {0.1, 0, 0.5, 0.5};
      },
      [](Shoot& s) { s.sequence.frames[3].modified += 1; },
      [](Shoot& s) { s.sequence.frames[3].bytes += 1; },
      [](Shoot& s) { s.sequence.frames[3].file += "x"; },
      [](Shoot& s) { s.sequence.frames[3].iso = 6400, set_value(s, Param::noise, 0, 20); }};
  for (std::size_t k = 0; k < changes.size(); ++k)
    EXPECT_TRUE(all.insert(recipe(changes[k])).second) << k;
  for (const auto& row : kLook.rows()) {
    const double other = row.preset == row.max ? row.min : row.max;
    EXPECT_TRUE(all.insert(recipe([&](Shoot& s) { set_value(s, row.id, 0, other); })).second)
        << row.name;
  }
  // Which pixels are hot, not only how many.
  auto hot = [&](HotPixels pixels) {
    return recipe([&](Shoot& s) {
      set_value(s, Param::hot_pixels, 0, 50);
      s.hot_pixels = std::make_shared<const HotPixels>(std::move(pixels));
    });
  };
  EXPECT_NE(hot({{1, 2, 0.5f}}), hot({{2, 1, 0.5f}}));
  plan.level_correction.assign(10, 0.0);
  plan.flicker_correction.assign(10, 0.0);
  plan.level_correction[3] = 0.01;
  EXPECT_TRUE(all.insert(recipe([](Shoot&) {})).second);
  plan.level_correction[3] = 0;
  plan.level_correction[4] = 0.01;
  EXPECT_EQ(plain, recipe([](Shoot&) {}));
}

TEST_F(Export, AnotherQualityAsksFirst) {
  ASSERT_TRUE(run({0, 1}));
  shoot.decisions.output.quality = 60;
  EXPECT_FALSE(run({0, 1}));
}

TEST_F(Export, StrangersFilesAreNotTouched) {
  fs::create_directories(dir / "out");
  std::ofstream(dir / "out" / "h_0005.jpg") << "holiday";
  const auto r = run();
  ASSERT_FALSE(r);
  EXPECT_EQ(fs::file_size(dir / "out" / "h_0005.jpg"), 7u);
  EXPECT_EQ(files(".jpg"), 1);
}

TEST_F(Export, AFrameThatDisappearsIsNamedAndItsNumberLeftFree) {
  fs::copy(ten().folder, dir / "f", fs::copy_options::recursive);
  shoot.sequence = make_sequence(*read_folder(dir / "f"), {});
  const auto gone = shoot.sequence.frames[6].file;
  fs::remove(dir / "f" / gone);
  const auto r = run();
  ASSERT_TRUE(r);
  EXPECT_EQ(r->written, 9);
  ASSERT_EQ(r->problems.size(), 1u);
  EXPECT_NE(r->problems[0].find(gone), std::string::npos);
  EXPECT_FALSE(fs::exists(dir / "out" / "h_0007.jpg"));
  EXPECT_TRUE(fs::exists(dir / "out" / "h_0010.jpg"));
}

TEST_F(Export, AnotherShapeIsCutAndNeverStretched) {
  EXPECT_TRUE(shape_note(shoot, output_size(shoot)).empty());
  shoot.decisions.output.pixels.exact = {192, 108};  // the frame is 3:2
  const Rect r = FramingCourse(shoot).film(0, output_size(shoot)).part();
  EXPECT_NEAR(r.w * 240 / (r.h * 160), 192.0 / 108, 1e-9);
  EXPECT_NEAR(r.y, (1 - r.h) / 2, 1e-9);
  EXPECT_DOUBLE_EQ(r.w, 1);
  EXPECT_NE(shape_note(shoot, output_size(shoot)).find("top and bottom"), std::string::npos);
  ASSERT_TRUE(run({0, 0}));
  const auto file = read_frame_info(dir / "out" / "h_0001.jpg");
  EXPECT_EQ(file.size, (Size{192, 108}));
}

TEST_F(Export, FoldersAndRangesThatMakeNoSenseAreRefused) {
  shoot.decisions.output.folder = shoot.sequence.folder.string();
  const auto r = run();
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("originals"), std::string::npos);
  shoot.decisions.output.folder = (dir / "out").string();
  EXPECT_FALSE(run({5, 30}));
}

TEST_F(Export, CorrectionsReachThePixels) {
  plan.as_shot.assign(10, 0);
  plan.level_correction.assign(10, 0.0);
  plan.flicker_correction.assign(10, 0.0);
  ASSERT_TRUE(run({0, 0}));
  auto brightness = [&](const fs::path& file) {
    const auto frame = read_frame(file);
    double sum = 0;
    for (float v : frame->rgb.planes[1].data) sum += v;
    return sum / static_cast<double>(frame->rgb.planes[1].data.size());
  };
  const double before = brightness(dir / "out" / "h_0001.jpg");
  plan.level_correction[0] = -0.7;
  plan.flicker_correction[0] = -0.3;
  ASSERT_TRUE(run({0, 0}, true));
  EXPECT_NEAR(brightness(dir / "out" / "h_0001.jpg") / before, 0.5,
              0.06);  // a stop, but for what was clipped
}

}  // namespace
}  // namespace tsukimi
