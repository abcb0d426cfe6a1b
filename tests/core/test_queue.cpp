// SPDX-License-Identifier: GPL-3.0-or-later
// The queue of exports: what is in it, who works on it, what becomes of it when somebody is killed.
#include <sys/wait.h>
#include <unistd.h>

#include <chrono>
#include <thread>

#include "cli_runner.h"
#include "document/values.h"
#include "folder/sequence.h"
#include "output/verify.h"
#include "queue/run_queue.h"

namespace tsukimi {
namespace {
using test::Ran;
using test::run;
using test::shot_folder;

class OnQueue : public ::testing::Test {
 protected:
  TempDir dir;
  Queue queue{dir / "queue"};
  Shoot shoot = *start_shoot(*scan_folder(shot_folder()));

  int add(const std::string& folder, int last = 3) {
    ExportSettings how;
    how.folder = (dir / folder).string();
    how.pixels = {{60, 40}, 0};
    const auto id = queue.add(shoot, folder, {{how}, {}, {0, last}});
    EXPECT_TRUE(id) << id.error().message;
    return id.value_or(0);
  }
  QueuedJob job(int id) {
    const auto all = *queue.list();
    for (const auto& j : all)
      if (j.id == id) return j;
    ADD_FAILURE() << "no job " << id;
    return {};
  }
  std::vector<int> order() {
    std::vector<int> out;
    const auto all = *queue.list();
    for (const auto& j : all) out.push_back(j.id);
    return out;
  }
};

TEST_F(OnQueue, JobsRunInTheirOrderEachOnTheShootAsItWas) {
  EXPECT_TRUE(queue.list()->empty());
  set_value(shoot, Param::exposure, 0, 1);
  const int a = add("a");
  set_value(shoot, Param::exposure, 0, -3);
  const int b = add("b"), c = add("c", 1);
  EXPECT_EQ(order(), (std::vector{a, b, c}));
  ASSERT_TRUE(queue.move(c, 0));
  ASSERT_TRUE(queue.pause(b));
  EXPECT_EQ(order(), (std::vector{c, a, b}));
  const auto end = run_queue(queue, {});
  ASSERT_TRUE(end) << end.error().message;
  EXPECT_EQ(end->done, 2);
  EXPECT_EQ(job(a).state, JobState::done);
  EXPECT_EQ(job(a).written, 4);
  EXPECT_EQ(job(b).state, JobState::paused);
  EXPECT_EQ(job(c).written, 2);
  ASSERT_TRUE(queue.go_on(b));
  EXPECT_EQ(run_queue(queue, {})->done, 1);
  EXPECT_TRUE(verify_export(dir / "b")->complete());
  // What was decided after it was added did not touch it: four stops lie between them.
  auto bytes = [&](const char* name) { return fs::file_size(dir / name / "frame_00001.jpg"); };
  EXPECT_NE(bytes("a"), bytes("b"));
  ASSERT_TRUE(queue.clear_ended());
  EXPECT_TRUE(queue.list()->empty());
  EXPECT_FALSE(fs::exists(queue.shoot_of(a)));
  EXPECT_GT(add("d"), c) << "a number is given once";
}

TEST_F(OnQueue, WhatCannotBeIsSaidAndTheOthersGoOn) {
  const int a = add("a");
  std::ofstream(dir / "file") << "no folder";
  const int b = add("file"), c = add("c");
  EXPECT_EQ(run_queue(queue, {})->failed, 1);
  EXPECT_EQ(job(a).state, JobState::done);
  EXPECT_EQ(job(b).state, JobState::failed);
  EXPECT_NE(job(b).problem.find("cannot be made"), std::string::npos) << job(b).problem;
  EXPECT_EQ(job(c).state, JobState::done);
  // Made from something else: it is in the way, and replaced when that is wanted.
  set_value(shoot, Param::exposure, 0, 2);
  const int d = add("a");
  EXPECT_EQ(run_queue(queue, {})->failed, 1);
  EXPECT_TRUE(job(d).in_the_way);
  ASSERT_TRUE(queue.replace(d));
  EXPECT_EQ(run_queue(queue, {})->done, 1);
  EXPECT_EQ(job(d).written, 4);
  EXPECT_FALSE(queue.pause(d)) << "it is done";
  EXPECT_FALSE(queue.cancel(99));
  EXPECT_FALSE(queue.replace(a));
}

TEST_F(OnQueue, OneWorksOnItAndOthersAreToldSo) {
  add("a");
  {
    const auto runner = QueueRunner::take(queue);
    ASSERT_TRUE(runner);
    EXPECT_TRUE(queue.is_running());
    const auto other = run_queue(queue, {});
    ASSERT_FALSE(other);
    EXPECT_EQ(other.error().code, ErrorCode::exists);
  }
  EXPECT_FALSE(queue.is_running());
  EXPECT_EQ(run_queue(queue, {})->done, 1);
}

TEST_F(OnQueue, ABrokenFileIsNotTakenForAnEmptyQueue) {
  add("a");
  std::ofstream(queue.folder() / "queue.json") << "{\"format\":\"tsukimi queue\",\"sch";
  EXPECT_FALSE(queue.list());
  ExportSettings how;
  how.folder = (dir / "x").string();
  EXPECT_FALSE(queue.add(shoot, "x", {{how}, {}}));
}

// By the command line, in processes of their own: paused, cancelled and killed while they work.
class OnQueueByCommand : public OnQueue {
 protected:
  // So large that it takes a while.
  static constexpr const char* kLong = " --fps 1 --size 2400x1600 --to ";
  std::string before = "XDG_DATA_HOME=" + dir.path().string() + " ";
  fs::path file = dir / "many.tsukimi";
  Queue users{dir / "tsukimi" / "queue"};

  void SetUp() override {
    ASSERT_EQ(run("plan " + shot_folder().string() + " --out " + file.string()).code, 0);
  }
  Ran queue_cmd(const std::string& words) { return run("queue " + words, before); }
  std::string add_film(const std::string& name) {
    const Ran r = queue_cmd("add film " + file.string() + kLong + (dir / name).string());
    EXPECT_EQ(r.code, 0) << r.err;
    return r.out.substr(0, r.out.find('\n'));
  }
  bool wait_for(const std::function<bool()>& what) {
    for (int i = 0; i < 12000; ++i) {  // two minutes: the maker stands back for others
      if (what()) return true;
      std::this_thread::sleep_for(std::chrono::milliseconds(10));
    }
    return false;
  }
  pid_t start_runner() {
    const pid_t child = fork();
    if (child == 0) {
      setenv("XDG_DATA_HOME", dir.path().c_str(), 1);
      execl(TSUKIMI_BATCH, TSUKIMI_BATCH, "queue", "run", nullptr);
      _exit(9);
    }
    return child;
  }
};

TEST_F(OnQueueByCommand, KilledItIsOfferedAgainAndGivesTheSameBytes) {
  ASSERT_EQ(run("film " + file.string() + kLong + (dir / "whole.mov").string()).code, 0);
  const auto whole = *read_file(dir / "whole.mov");
  fs::create_directories(dir / "q");
  const std::string id = add_film("q/film.mov");
  const pid_t runner = start_runner();
  ASSERT_TRUE(wait_for([&] {
    const auto p = users.progress();
    return p && p->step == "exporting" && p->done >= 5;
  }));
  EXPECT_TRUE(fs::exists(users.picture())) << "a small picture of what is made";
  const Ran listed = queue_cmd("list --json");
  const auto j = nlohmann::json::parse(listed.out);
  EXPECT_TRUE(j["running"]);
  EXPECT_EQ(j["jobs"][0]["state"], "running");
  EXPECT_EQ(j["jobs"][0]["progress"]["total"], 12);
  kill(runner, SIGKILL);
  waitpid(runner, nullptr, 0);
  EXPECT_FALSE(users.is_running());
  EXPECT_EQ(users.list()->at(0).state, JobState::waiting);
  EXPECT_FALSE(users.progress());
  const Ran rest = queue_cmd("run");
  EXPECT_EQ(rest.code, 0) << rest.err;
  EXPECT_EQ(users.list()->at(0).state, JobState::done);
  EXPECT_EQ(*read_file(dir / "q/film.mov"), whole);
  EXPECT_EQ(run("verify " + (dir / "q/film.mov").string()).code, 0);
}

TEST_F(OnQueueByCommand, ItKeepsToTheCacheThatIsGiven) {
  ASSERT_EQ(
      run("plan --overwrite " + shot_folder().string() + " --deflicker 5 --out " + file.string())
          .code,
      0);
  add_film("a.mp4");
  const fs::path cache = dir / "kept here";
  ASSERT_EQ(queue_cmd("run --threads 1 --cache-gb 1 --cache '" + cache.string() + "'").code, 0);
  EXPECT_TRUE(fs::exists(cache)) << "the light was measured there";
}

TEST_F(OnQueueByCommand, PausedAndCancelledByAnotherProcess) {
  const std::string a = add_film("a.mp4"), b = add_film("b.mp4"), c = add_film("c.mp4");
  const pid_t runner = start_runner();
  ASSERT_TRUE(wait_for([&] { return users.progress() && users.progress()->done >= 1; }));
  EXPECT_EQ(queue_cmd("run").code, 1) << "somebody is at it";
  EXPECT_EQ(queue_cmd("cancel " + c).code, 0);
  EXPECT_EQ(queue_cmd("pause " + a).code, 0);
  int status = 0;
  waitpid(runner, &status, 0);
  EXPECT_EQ(WEXITSTATUS(status), 0);
  const auto jobs = *users.list();
  EXPECT_EQ(jobs[0].state, JobState::paused);
  EXPECT_EQ(jobs[1].state, JobState::done);
  EXPECT_EQ(jobs[2].state, JobState::cancelled);
  EXPECT_FALSE(fs::exists(dir / "a.mp4"));
  EXPECT_TRUE(fs::exists(dir / "b.mp4"));
  EXPECT_EQ(queue_cmd("go-on " + a).code, 0);
  EXPECT_EQ(queue_cmd("run").code, 0);
  EXPECT_TRUE(fs::exists(dir / "a.mp4"));
  EXPECT_NE(queue_cmd("list").out.find(a + " done many"), std::string::npos);
  EXPECT_EQ(queue_cmd("clear").code, 0);
  EXPECT_TRUE(users.list()->empty());
}

TEST(QueueEstimates, ComeFromJobsOfTheSameKind) {
  ExportSettings tiff;
  tiff.format = FileFormat::tiff16;
  const ExportJob frames{{tiff}, {}}, film{{}, {*usual_film(".mp4")}};
  QueuedJob done;
  done.job = frames;
  done.made = 20;
  done.seconds = 10;
  EXPECT_DOUBLE_EQ(estimated_seconds({done}, frames, 100), 50);
  EXPECT_LT(estimated_seconds({done}, film, 100), 0) << "not known";
  done.made = 3;
  EXPECT_LT(estimated_seconds({done}, frames, 100), 0) << "too few to go by";
}

}  // namespace
}  // namespace tsukimi
