// SPDX-License-Identifier: GPL-3.0-or-later
// Originals that change while, or after, something was made from them.
#include "base/cache.h"
#include "base/file.h"
#include "cli_runner.h"
#include "document/files/shoot_file.h"
#include "proxy/proxy_store.h"

namespace tsukimi {
namespace {
using test::run;
using test::shot_folder;

class Sources : public ::testing::Test {
 protected:
  TempDir dir;
  fs::path folder = dir / "D", file = dir / "s.tsukimi";
  ExportJob job;
  void SetUp() override {
    fs::copy(shot_folder(), folder, fs::copy_options::recursive);
    for (const auto& e : fs::directory_iterator(folder)) fs::resize_file(e.path(), 100'000);
    ASSERT_EQ(run("plan " + folder.string() + " --out " + file.string()).code, 0);
    ExportSettings how;
    how.folder = (dir / "out").string();
    how.pattern = "f_##";
    how.pixels.exact = {60, 40};
    job.frames = {how};
  }
  fs::path raw(int i) const {
    return folder / open_shoot(file)->sequence.frames[static_cast<std::size_t>(i)].file;
  }
  fs::path made(int number) const {
    char name[16];
    std::snprintf(name, sizeof name, "f_%02d.jpg", number);
    return dir / "out" / name;
  }
  // As it was by its size and time.
  static void write_unseen(const fs::path& to, const std::vector<std::uint8_t>& bytes) {
    const auto time = fs::last_write_time(to);
    {
      std::ofstream out(to, std::ios::binary | std::ios::in);
      out.write(reinterpret_cast<const char*>(bytes.data()),
                static_cast<std::streamsize>(bytes.size()));
    }
    fs::last_write_time(to, time);
  }
  static void replace_unseen(const fs::path& to, const fs::path& by) {
    const auto time = fs::last_write_time(to);
    fs::copy_file(by, to.string() + ".new");
    fs::rename(to.string() + ".new", to);
    fs::last_write_time(to, time);
  }
  // meanwhile: before the first frame is read.
  JobReport make(const std::function<void()>& meanwhile = {}, bool overwrite = false) {
    auto shoot = *open_shoot(file);
    ExportJob now = job;
    now.overwrite = overwrite;
    const auto report = run_export(shoot, {}, now, [&](const char* step) {
      if (meanwhile && std::string(step) == "exporting") meanwhile();
      return Work{};
    });
    EXPECT_TRUE(report) << report.error().message;
    return report.value_or(JobReport{});
  }
};

TEST_F(Sources, ThatChangeWhileAnExportRunsAreSaidAndLeftFree) {
  ASSERT_EQ(fs::file_size(raw(2)), fs::file_size(raw(7)));
  const auto other = *read_file(raw(7));
  const auto report = make([&] {
    replace_unseen(raw(2), raw(7));
    write_unseen(raw(4), other);
    fs::last_write_time(raw(6), fs::file_time_type::clock::now() - std::chrono::hours(1));
  });
  EXPECT_FALSE(report.complete());
  const std::set<int> changed{2, 4, 6};
  for (int i = 0; i < 12; ++i) {
    EXPECT_EQ(fs::exists(made(i + 1)), !changed.contains(i)) << i;
    const std::string name = raw(i).filename().string();
    const bool said = std::ranges::any_of(
        report.problems, [&](const std::string& p) { return p.find(name) != p.npos; });
    EXPECT_EQ(said, changed.contains(i)) << name;
  }
  // Opened again they are what they are now, and measured anew.
  fs::remove_all(dir / "out");
  EXPECT_TRUE(make().complete());
}

TEST_F(Sources, AFilmIsNotFinishedWithThem) {
  FilmSettings film;
  film.file = (dir / "a.mp4").string();
  film.pixels.exact = {60, 40};
  job = {{}, {film}};
  const auto report = make([&] { replace_unseen(raw(2), raw(7)); });
  EXPECT_FALSE(report.complete());
  EXPECT_EQ(report.films.front().lacking, std::vector<int>{3});
  EXPECT_FALSE(fs::exists(dir / "a.mp4"));
}

TEST_F(Sources, OfWhichAManifestKnowsOtherBytesAreSaid) {
  EXPECT_TRUE(make().complete());
  const auto before = *read_file(made(3));
  fs::remove(made(3));
  const auto other = *read_file(raw(7)), own = *read_file(raw(2));
  write_unseen(raw(2), other);
  const auto report = make();
  EXPECT_FALSE(report.complete());
  EXPECT_FALSE(fs::exists(made(3)));
  EXPECT_NE(report.problems.front().find("other content"), std::string::npos);
  write_unseen(raw(2), own);
  EXPECT_TRUE(make().complete());
  EXPECT_EQ(*read_file(made(3)), before);
}

TEST_F(Sources, ReplacedWithTheOldTimeHaveNoOldProxy) {
  const auto first = *open_shoot(file);
  const auto old = *ProxyStore(folder).get(first.sequence.frames[2]);
  replace_unseen(raw(2), raw(7));
  const auto second = *open_shoot(file);
  EXPECT_NE((*ProxyStore(folder).get(second.sequence.frames[2]))->data, old->data);
  EXPECT_EQ((*ProxyStore(folder).get(second.sequence.frames[2]))->data,
            (*ProxyStore(folder).get(second.sequence.frames[7]))->data);
  // What is read for the old one is not kept as if it were that.
  fs::remove_all(cache_folder() / "proxies");
  (void)ProxyStore(folder).get(first.sequence.frames[2]);
  EXPECT_FALSE(fs::exists(cache_folder() / "proxies") && !fs::is_empty(cache_folder() / "proxies"));
}

TEST_F(Sources, AProxyUnderAnotherFramesNameIsNotBelieved) {
  const auto s = *open_shoot(file);
  const auto good = *ProxyStore(folder).get(s.sequence.frames[2]);
  const std::vector<fs::path> one(fs::directory_iterator(cache_folder() / "proxies"), {});
  ASSERT_GE(one.size(), 1u);
  (void)ProxyStore(folder).get(s.sequence.frames[9]);
  std::set<fs::path> all(fs::directory_iterator(cache_folder() / "proxies"), {});
  std::vector<fs::path> new_ones;
  for (const auto& f : all)
    if (std::ranges::count(one, f) == 0) new_ones.push_back(f);
  ASSERT_EQ(new_ones.size(), 1u);
  for (const auto& f : one) fs::copy_file(new_ones[0], f, fs::copy_options::overwrite_existing);
  EXPECT_EQ((*ProxyStore(folder).get(s.sequence.frames[2]))->data, good->data);
}

}  // namespace
}  // namespace tsukimi
