// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/checks.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "base/cache.h"
#include "film/motion.h"
#include "film/sky.h"

namespace tsukimi {
namespace {

using nlohmann::json;

constexpr int kMethod = 3;  // raise when the checks judge otherwise
constexpr std::size_t kKeptOfAFolder = 12;

// Of one folder begin alike, so that those of old lists of its frames can be found.
std::string folder_name(const Shoot& shoot) {
  return cache_name(shoot.sequence.folder.string()).substr(0, 16) + "-";
}

std::filesystem::path file_of(const Shoot& shoot, const char* what) {
  std::string id = std::to_string(kMethod);
  const auto add = [&](const FrameInfo& f, const char* before) {
    id += before + f.file + " " + std::to_string(f.bytes) + " " + std::to_string(f.modified) + " " +
          std::to_string(f.changed);
  };
  for (const auto& f : shoot.sequence.frames) {
    add(f, "\n");
    for (const FrameInfo& other : f.others)
      if (f.merged) add(other, "+");
  }
  return cache_path("checks", folder_name(shoot) + cache_name(id) + what);
}

// Others when it is looked for otherwise.
constexpr const char* kFoundMethod = "-found3.json";

json read_json(const std::filesystem::path& file) {
  const auto bytes = load_cached(file);
  return bytes ? json::parse(bytes->begin(), bytes->end(), nullptr, false)
               : json(json::value_t::discarded);
}

// A full cache disk must not stop the work.
void write_json(const Shoot& shoot, const std::filesystem::path& file, const json& j) {
  const std::string text = j.dump(-1, ' ', false, json::error_handler_t::replace);
  (void)save_cached(file, {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
  // A folder that grows leaves a file for each of its lengths.
  trim_cache_group(file.parent_path(), folder_name(shoot), kKeptOfAFolder);
}

}  // namespace

std::optional<Checks> load_checks(const Shoot& shoot) {
  const json j = read_json(file_of(shoot, kFoundMethod));
  try {
    Checks out;
    for (const auto& s : j.at("shifts")) out.shifts.push_back({s.at(0), s.at(1), s.at(2) == 1});
    if (out.shifts.size() != shoot.sequence.frames.size()) return {};
    for (const auto& s : j.at("suspects")) {
      const int frame = s.at("frame"), kind = s.at("kind");
      if (frame < 0 || frame >= shoot.frame_count() || kind < 0 || kind >= count_of<SuspectKind>())
        return {};
      out.suspects.push_back(
          {frame, static_cast<SuspectKind>(kind), s.at("reason"), s.at("strength")});
    }
    return out;
  } catch (const json::exception&) {
    return {};  // a damaged cache is no cache
  }
}

void save_checks(const Shoot& shoot, const Checks& checks) {
  json shifts = json::array(), suspects = json::array();
  for (const auto& s : checks.shifts) shifts.push_back({s.dx, s.dy, s.known ? 1 : 0});
  for (const auto& s : checks.suspects)
    suspects.push_back({{"frame", s.frame},
                        {"kind", static_cast<int>(s.kind)},
                        {"reason", s.reason},
                        {"strength", s.strength}});
  write_json(shoot, file_of(shoot, kFoundMethod), {{"shifts", shifts}, {"suspects", suspects}});
}

void know_hot_pixels(Shoot& shoot, const Work& work) {
  if (!is_used(shoot.decisions, Param::hot_pixels) || shoot.hot_pixels) return;
  const auto file = file_of(shoot, "-hot2.json");
  HotPixels hot;
  try {
    const json known = read_json(file);
    for (const auto& p : known.at("hot")) hot.push_back({p.at(0), p.at(1), p.at(2)});
    shoot.hot_pixels = std::make_shared<const HotPixels>(std::move(hot));
    return;
  } catch (const json::exception&) {
    hot.clear();  // not known yet
  }
  hot = find_hot_pixels(shoot.sequence.folder, shoot.sequence.frames, work);
  if (work.stop()) return;
  json all = json::array();
  for (const auto& p : hot) all.push_back({p.x, p.y, p.strength});
  write_json(shoot, file, {{"hot", all}});
  shoot.hot_pixels = std::make_shared<const HotPixels>(std::move(hot));
}

bool wants_motion(const Shoot& shoot) {
  const bool follows = std::ranges::any_of(shoot.decisions.places, [](const LocalPlace& p) {
    return p.on && p.follow == Follow::picture;
  });
  const bool mended = std::ranges::any_of(shoot.decisions.repairs, [](const Repair& r) {
    return r.on && r.area() && r.area()->is_from_time();
  });
  const Steadying how = shoot.decisions.framing.steady.how;
  return follows || mended || how == Steadying::hold || how == Steadying::drift;
}

bool lacks_motion(const Shoot& shoot) {
  const bool known = shoot.motion && shoot.motion->frames.size() == shoot.sequence.places.size() &&
                     shoot.motion->areas == shoot.decisions.framing.steady.areas;
  return wants_motion(shoot) && !known;
}

void know_motion(Shoot& shoot, ProxyStore& store, const Work& work) {
  if (!lacks_motion(shoot)) return;
  std::string areas;
  for (const Rect& r : shoot.decisions.framing.steady.areas)
    for (double v : {r.x, r.y, r.w, r.h}) areas += std::to_string(v) + " ";
  constexpr const char* kMotionMethod = "-motion8";  // another one when it is measured otherwise
  const std::string name =
      kMotionMethod + (areas.empty() ? "" : "-" + cache_name(areas).substr(0, 12)) + ".json";
  const auto file = file_of(shoot, name.c_str());
  const auto count = shoot.sequence.frames.size();
  MotionTrack track;
  try {
    const json known = read_json(file);
    for (const auto& f : known.at("motion"))
      track.frames.push_back({{f.at(0), f.at(1), f.at(2), f.at(3)}, f.at(4) == 1});
    const json& fit = known.at("fit");
    track.fit = {fit.at(0), fit.at(1), fit.at(2), fit.at(3)};
    if (track.frames.size() != count) track.frames.clear();
  } catch (const json::exception&) {
    track.frames.clear();  // not known yet
  }
  if (track.frames.empty()) {
    track = measure_motion(shoot, store, work);
    if (work.stop()) return;
    json all = json::array();
    for (const FrameMotion& f : track.frames)
      all.push_back({f.move.dx, f.move.dy, f.move.angle, f.move.log_scale, f.known ? 1 : 0});
    const MotionFit& fit = track.fit;
    write_json(shoot, file,
               {{"motion", all}, {"fit", {fit.left, fit.doubt, fit.step, fit.parted}}});
  }
  // By the frames' ids: whatever order they are put in, each lies where it lies.
  MotionTrack by_id;
  by_id.fit = track.fit;
  by_id.areas = shoot.decisions.framing.steady.areas;
  by_id.frames.resize(shoot.sequence.places.size());
  for (std::size_t place = 0; place < count; ++place)
    by_id.frames[static_cast<std::size_t>(shoot.sequence.frames[place].id)] = track.frames[place];
  shoot.motion = std::make_shared<const MotionTrack>(std::move(by_id));
}

bool wants_sky(const Shoot& shoot) { return needs_sky(shoot.decisions); }

bool lacks_sky(const Shoot& shoot) {
  return wants_sky(shoot) &&
         !(shoot.sky && shoot.sky->frames.size() == shoot.sequence.places.size());
}

namespace {

json to_json(const SkyFit& fit) {
  json frames = json::array(), seen = json::array();
  for (const SkyFrame& f : fit.frames) frames.push_back({f.turn, f.stars, f.by_stars, f.valid});
  for (const Point& p : fit.seen) seen.push_back({p.x, p.y});
  return {{"problem", static_cast<int>(fit.problem)},
          {"lens", {fit.lens.focal, fit.lens.bend, fit.lens.aspect}},
          {"pole", fit.pole},
          {"frames", frames},
          {"seen", seen},
          {"stars", fit.stars},
          {"left", fit.left}};
}

SkyFit read_sky(const json& j) {
  SkyFit out;
  out.problem = static_cast<SkyProblem>(j.at("problem").get<int>());
  const auto& lens = j.at("lens");
  out.lens = {lens.at(0), lens.at(1), lens.at(2)};
  out.pole = j.at("pole").get<Ray>();
  for (const auto& f : j.at("frames"))
    out.frames.push_back({f.at(0).get<Rotation>(), f.at(1), f.at(2), f.at(3)});
  for (const auto& p : j.at("seen")) out.seen.push_back({p.at(0), p.at(1)});
  out.stars = j.at("stars"), out.left = j.at("left");
  return out;
}

}  // namespace

void know_sky(Shoot& shoot, ProxyStore& store, const Work& work, bool asked) {
  const bool known = shoot.sky && shoot.sky->frames.size() == shoot.sequence.places.size();
  if (known || !(asked || wants_sky(shoot))) return;
  constexpr const char* kSkyMethod = "-sky2.json";  // another one when it is measured otherwise
  const auto file = file_of(shoot, kSkyMethod);
  const auto& frames = shoot.sequence.frames;
  SkyFit fit;
  try {
    fit = read_sky(read_json(file));
    if (fit.frames.size() != frames.size()) fit.frames.clear();
  } catch (const json::exception&) {
    fit.frames.clear();  // not known yet
  }
  if (fit.frames.empty()) {
    fit = measure_sky(shoot, store, work);
    if (work.stop()) return;
    write_json(shoot, file, to_json(fit));
  }
  // By the frames' ids, as everything that is known of them.
  std::vector<SkyFrame> by_id(shoot.sequence.places.size());
  for (std::size_t k = 0; k < frames.size(); ++k)
    by_id[static_cast<std::size_t>(frames[k].id)] = fit.frames[k];
  fit.frames = std::move(by_id);
  shoot.sky = std::make_shared<const SkyFit>(std::move(fit));
}

}  // namespace tsukimi
