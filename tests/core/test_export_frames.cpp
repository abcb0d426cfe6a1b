// SPDX-License-Identifier: GPL-3.0-or-later
// What is asked of numbered frames on the command line: names, sizes, what stands beside them, and
// whether they can be proved.
#include "base/file.h"
#include "cli_runner.h"
#include "output/export_manifest.h"
#include "output/name_pattern.h"
#include "output/space.h"

namespace tsukimi {
namespace {

using nlohmann::json;
using test::Ran;
using test::run;
using test::shot_folder;

class ExportedFrames : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path shoot = dir / "harbour.tsukimi", out = dir / "out";
  void SetUp() override {
    const Ran r = run("plan " + shot_folder().string() + " --keys 0,11 --set exposure=1@0 " +
                      "--set exposure=-1@11 --out " + shoot.string());
    ASSERT_EQ(r.code, 0) << r.err;
  }
  Ran make(const std::string& more, const std::string& name = "f_###") {
    return run("export " + shoot.string() + " --to " + out.string() + " --name '" + name +
               "' --format jpeg " + more);
  }
  std::set<std::string> names() const {
    std::set<std::string> list;
    for (const auto& e : fs::directory_iterator(out))
      if (e.path().filename() != kManifestName) list.insert(e.path().filename().string());
    return list;
  }
  Ran verify() { return run("verify " + out.string() + " --json"); }
};

TEST_F(ExportedFrames, NamesTakeTheShootItsMomentAndAFirstNumber) {
  ASSERT_EQ(make("--frames 2-4 --first-number 100", "{shoot}_{date}_{time}_####").code, 0);
  const std::string time = format_time(scan_folder(shot_folder())->frames.front().time);
  const std::string begin = "h_" + time.substr(0, 10) + "_" + time.substr(11, 2) +
                            time.substr(14, 2) + time.substr(17, 2) + "_";
  EXPECT_EQ(names(),
            (std::set<std::string>{begin + "0102.jpg", begin + "0103.jpg", begin + "0104.jpg"}));
  // Numbers that need more digits, and words that nobody knows.
  EXPECT_EQ(make("--first-number 995").code, 1);
  const Ran odd = make("", "{boat}_###");
  EXPECT_EQ(odd.code, 2);
  test::expect_one_line(odd, "{shoot}");
}

TEST_F(ExportedFrames, ASliceHasTheBytesOfTheWhole) {
  ASSERT_EQ(make("--frames 5-6").code, 0);
  const auto part = *read_file(out / "f_006.jpg");
  fs::remove_all(out);
  ASSERT_EQ(make("").code, 0);
  EXPECT_EQ(*read_file(out / "f_006.jpg"), part);
}

TEST_F(ExportedFrames, TheLongerEdgeAndWhatIsEnlarged) {
  ASSERT_EQ(make("--frames 0-0 --size long:120").code, 0);
  EXPECT_EQ(read_frame_info(out / "f_001.jpg").size, (Size{120, 80}));
  const Ran larger = make("--frames 1-1 --size long:480");
  EXPECT_EQ(larger.code, 0);
  test::expect_one_line(larger, "480×320 is enlarged");
  EXPECT_EQ(make("--size long:1").code, 2);
  EXPECT_EQ(make("--size short:100").code, 2);
}

TEST_F(ExportedFrames, AnXmpFileTellsTheValuesOfItsFrame) {
  ASSERT_EQ(make("--xmp --copyright 'Ida & Moor'").code, 0);
  ASSERT_EQ(names().size(), 24u);
  Exiv2::XmpProperties::registerNs("urn:tsukimi:values:1", "tsukimi");
  std::vector<double> exposures;
  for (int i = 1; i <= 12; ++i) {
    const auto bytes = *read_file(out / (numbered_name("f_###", i) + ".xmp"));
    Exiv2::XmpData xmp;
    ASSERT_EQ(Exiv2::XmpParser::decode(xmp, std::string(bytes.begin(), bytes.end())), 0);
    const auto exposure = xmp.findKey(Exiv2::XmpKey("Xmp.tsukimi.exposure"));
    exposures.push_back(exposure == xmp.end() ? 0 : std::stod(exposure->toString()));
    EXPECT_TRUE(xmp["Xmp.exif.FNumber"].toString() == "56/10" ||
                xmp["Xmp.exif.FNumber"].toString() == "8/1");  // a slip of the lens
    EXPECT_EQ(xmp["Xmp.dc.rights"].toString(), "lang=\"x-default\" Ida & Moor");
    EXPECT_EQ(xmp["Xmp.xmp.CreateDate"].toString().size(), 22u) << "with its fraction";
  }
  EXPECT_EQ(exposures.front(), 1);
  EXPECT_EQ(exposures.back(), -1);
  EXPECT_TRUE(std::is_sorted(exposures.rbegin(), exposures.rend()));
  // One that was taken away is made again, and only that.
  fs::remove(out / "f_004.xmp");
  const auto picture = fs::last_write_time(out / "f_004.jpg");
  const Ran again = make("--xmp --copyright 'Ida & Moor'");
  EXPECT_EQ(again.code, 0) << again.err;
  EXPECT_TRUE(again.out.starts_with("1 frames written, 11 were there"));
  EXPECT_EQ(fs::last_write_time(out / "f_004.jpg"), picture);
}

TEST_F(ExportedFrames, APlaceIsToldUnlessItIsNotToBe) {
  const fs::path located = dir / "located";
  fs::create_directories(located);
  for (const auto& e : fs::directory_iterator(shot_folder())) {
    fs::copy(e.path(), located / e.path().filename());
    auto image = Exiv2::ImageFactory::open((located / e.path().filename()).string());
    image->readMetadata();
    auto& exif = image->exifData();
    exif["Exif.GPSInfo.GPSLatitudeRef"] = std::string("S");
    exif["Exif.GPSInfo.GPSLatitude"] = std::string("54/1 30/1 0/1");
    exif["Exif.GPSInfo.GPSLongitudeRef"] = std::string("E");
    exif["Exif.GPSInfo.GPSLongitude"] = std::string("7/1 15/1 0/1");
    image->writeMetadata();
  }
  ASSERT_EQ(run("plan --overwrite " + located.string() + " --out " + shoot.string()).code, 0);
  ASSERT_EQ(make("--frames 0-0").code, 0);
  const auto told = read_frame_info(out / "f_001.jpg").location;
  ASSERT_TRUE(told);
  EXPECT_NEAR(told->latitude, -54.5, 1e-6);
  EXPECT_NEAR(told->longitude, 7.25, 1e-6);
  ASSERT_EQ(make("--frames 3-3 --xmp").code, 0);
  const auto with_place = *read_file(out / "f_004.xmp");
  const std::string xmp(with_place.begin(), with_place.end());
  EXPECT_NE(xmp.find("GPSLatitude=\"54,30.000000S\""), std::string::npos) << xmp;
  EXPECT_NE(xmp.find("GPSLongitude=\"7,15.000000E\""), std::string::npos) << xmp;
  ASSERT_EQ(make("--frames 1-1 --no-location --xmp").code, 0);
  EXPECT_FALSE(read_frame_info(out / "f_002.jpg").location);
  const auto beside = *read_file(out / "f_002.xmp");
  EXPECT_EQ(std::string(beside.begin(), beside.end()).find("GPS"), std::string::npos);
}

TEST_F(ExportedFrames, TheProfileIsOfTheVersionThatIsAskedFor) {
  auto version = [&](const char* name) {
    const auto bytes = *read_file(out / name);
    const std::string all(bytes.begin(), bytes.end());
    const auto at = all.find("ICC_PROFILE");
    return at == std::string::npos ? 0 : static_cast<int>(all[at + 14 + 8]);
  };
  ASSERT_EQ(make("--frames 0-0 --icc 2").code, 0);
  EXPECT_EQ(version("f_001.jpg"), 2);
  ASSERT_EQ(make("--frames 0-1 --overwrite").code, 0);
  EXPECT_EQ(version("f_001.jpg"), 4) << "another version is another file";
  EXPECT_EQ(version("f_002.jpg"), 4);
  EXPECT_EQ(make("--icc 3").code, 2);
}

TEST_F(ExportedFrames, AreProvedOrSaidToBeDamaged) {
  ASSERT_EQ(make("").code, 0);
  ASSERT_EQ(verify().code, 0) << verify().out;
  EXPECT_EQ(json::parse(verify().out)["good"], 12);
  // One byte, one file, one guest.
  {
    std::fstream f(out / "f_003.jpg", std::ios::in | std::ios::out | std::ios::binary);
    f.seekp(700);
    const int byte = f.peek();
    f.put(static_cast<char>(byte ^ 1));
  }
  fs::remove(out / "f_007.jpg");
  std::ofstream(out / "holiday.jpg") << "somebody else's";
  const Ran r = verify();
  EXPECT_EQ(r.code, 1);
  const json j = json::parse(r.out);
  EXPECT_EQ(j["changed"], json({"f_003.jpg"}));
  EXPECT_EQ(j["missing"], json({"f_007.jpg"}));
  EXPECT_EQ(j["foreign"], json({"holiday.jpg"}));
  EXPECT_EQ(j["good"], 10);
  // In words, and where there is nothing to prove.
  EXPECT_NE(run("verify " + out.string()).out.find("changed f_003.jpg\n"), std::string::npos);
  const Ran none = run("verify " + shot_folder().string());
  EXPECT_EQ(none.code, 1);
  test::expect_one_line(none, "no export made it");
}

// What was asked for but is confirmed by no line of the manifest may be anything: it is not good.
TEST_F(ExportedFrames, AFileThatNoLineConfirmsIsNotGood) {
  ASSERT_EQ(make("").code, 0);
  const fs::path manifest = out / "tsukimi-export.jsonl";
  std::ifstream in(manifest);
  std::string kept, line;
  while (std::getline(in, line))
    if (line.find("\"f_005.jpg\"") == line.npos) kept += line + "\n";
  in.close();
  std::ofstream(manifest) << kept;
  const Ran r = verify();
  EXPECT_EQ(r.code, 1);
  EXPECT_EQ(json::parse(r.out)["good"], 11);
  EXPECT_EQ(json::parse(r.out)["changed"], json({"f_005.jpg"}));
}

// Numbers that do not begin at 1 are what was asked for: nothing else is missed.
TEST_F(ExportedFrames, OtherNumbersAreProvedToo) {
  ASSERT_EQ(make("--first-number 50").code, 0);
  const Ran r = verify();
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(json::parse(r.out)["expected"], 12);
  fs::remove(out / "f_061.jpg");
  EXPECT_EQ(json::parse(verify().out)["missing"], json({"f_061.jpg"}));
}

// A disk that has not the room is left as it was.
TEST_F(ExportedFrames, OfWhatCannotFitNothingIsBegun) {
  const std::string command =
      "export " + shoot.string() + " --to " + out.string() + " --name f_### --format tiff16";
  const Ran full = run(command, test::faulty("FREE_BYTES=500000"));
  EXPECT_EQ(full.code, 1);
  test::expect_one_line(full, " MB free, 12 frames need about ");
  EXPECT_FALSE(fs::exists(out));
  // Some are there: the rest is what needs room.
  ASSERT_EQ(run(command + " --frames 0-10").code, 0);
  EXPECT_EQ(run(command, test::faulty("FREE_BYTES=500000")).code, 0);
  EXPECT_EQ(verify().code, 0);
  const Ran huge = make("--size 65000x65000", "g_###");
  EXPECT_EQ(huge.code, 1);
  EXPECT_NE(huge.err.find("of memory"), std::string::npos) << huge.err;
}

// What was asked for is known before it is made: who is killed leaves no folder that looks whole.
TEST_F(ExportedFrames, OfAnExportThatWasKilledTheRestIsMissing) {
  ASSERT_EQ(make("").code, 0);
  Manifest kept = *read_manifest(out);
  for (int i = 5; i <= 12; ++i) {
    const std::string name = numbered_name("f_###", i) + ".jpg";
    fs::remove(out / name);
    kept.files.erase(name);
  }
  fs::remove(out / kManifestName);
  ASSERT_TRUE(add_to_manifest(out, kept));
  std::ofstream(out / kManifestName, std::ios::app) << "{\"file\":\"f_005.jpg\",\"rec";  // cut off
  EXPECT_EQ(json::parse(verify().out)["missing"].size(), 8u);
  const Ran rest = make("");
  EXPECT_EQ(rest.code, 0) << rest.err;
  EXPECT_TRUE(rest.out.starts_with("8 frames written, 4 were there"));
  EXPECT_EQ(verify().code, 0) << verify().out;
}

// Whatever stands in a manifest, nobody is sent out of the folder, or counts without end.
TEST_F(ExportedFrames, AManifestOfNonsenseIsReadWithCare) {
  ASSERT_EQ(make("--frames 0-1").code, 0);
  std::ofstream(out / kManifestName, std::ios::app)
      << R"({"file":"../harbour.tsukimi","recipe":"x","bytes":1})"
      << "\n"
      << R"({"pattern":"f_#########","extension":".jpg","first":1,"count":999999998})"
      << "\n"
      << R"({"pattern":"f_###","extension":".jpg","first":-5,"count":3})"
      << "\n"
      << R"({"pattern":"f_###","extension":".jpg","first":99999999999,"count":3})"
      << "\n";
  const Ran r = verify();
  EXPECT_EQ(r.code, 0) << r.out;
  EXPECT_EQ(json::parse(r.out)["expected"], 2);
}

TEST(Space, WhatCannotFitIsRefused) {
  ExportSettings how;
  how.format = FileFormat::tiff16;
  const auto there = free_space("/tmp/not/made/yet");
  ASSERT_TRUE(there);
  const int most = static_cast<int>(*there / estimated_bytes(how, {6000, 4000}));
  EXPECT_TRUE(check_space("/tmp", how, {6000, 4000}, most / 2));
  const auto r = check_space("/tmp", how, {6000, 4000}, 2 * most + 2);
  ASSERT_FALSE(r);
  EXPECT_NE(r.error().message.find("/tmp has"), std::string::npos);
}

}  // namespace
}  // namespace tsukimi
