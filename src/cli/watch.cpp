// SPDX-License-Identifier: GPL-3.0-or-later
// watch: a camera is still shooting; its new frames join the shoot.
#include <algorithm>
#include <chrono>
#include <iostream>
#include <thread>

#include "cli/commands.h"
#include "document/files/shoot_file.h"
#include "folder/watch.h"

namespace tsukimi::cli {
namespace {

std::vector<FrameInfo> not_in(const Shoot& shoot, std::vector<FrameInfo> frames) {
  std::erase_if(frames, [&](const FrameInfo& f) {
    return std::ranges::count(shoot.sequence.frames, f.file, &FrameInfo::file) > 0;
  });
  return frames;
}

Result<void> run_watch(const std::string& file, double seconds, double every) {
  auto shoot = open_shoot(file);
  if (!shoot) return tl::unexpected(shoot.error());
  FolderWatch watch = FolderWatch::of(shoot->sequence);
  using Clock = std::chrono::steady_clock;
  auto last = Clock::now();
  while (!*cancel_flag() && std::chrono::duration<double>(Clock::now() - last).count() < seconds) {
    auto frames = watch.look();
    if (!frames.empty()) {
      last = Clock::now();
      for (const auto& f : frames)
        std::cout << printable(f.file) << (f.usable() ? "" : " " + f.problem) << std::endl;
      append_frames(*shoot, frames);
      auto saved = save_shoot(*shoot, file);
      if (!saved && saved.error().code == ErrorCode::exists) {
        // Decided about elsewhere meanwhile, in the window: what was decided there stands.
        shoot = open_shoot(file);
        if (!shoot) return tl::unexpected(shoot.error());
        append_frames(*shoot, not_in(*shoot, frames));
        saved = save_shoot(*shoot, file);
      }
      if (!saved) return tl::unexpected(saved.error());
      shoot->file_sum = *saved;
    }
    std::this_thread::sleep_for(std::chrono::duration<double>(every));
  }
  std::cout << shoot->frame_count() << " frames\n";
  return {};
}

}  // namespace

void add_watch(CLI::App& app, Run& run) {
  auto* c =
      app.add_subcommand("watch", "Add new frames to a shoot while the camera is still shooting.");
  auto file = std::make_shared<std::string>();
  auto seconds = std::make_shared<double>(600), every = std::make_shared<double>(1);
  c->add_option("FILE", *file, "The shoot (.tsukimi)")->required();
  c->add_option("--until-quiet", *seconds, "Stop when no new frame came for so many seconds")
      ->check(CLI::Range(0.5, 1e6));
  c->add_option("--every", *every, "Seconds between looks")->check(CLI::Range(0.05, 60.0));
  c->callback([=, &run] { run = [=] { return run_watch(*file, *seconds, *every); }; });
}

}  // namespace tsukimi::cli
