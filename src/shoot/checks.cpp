#include "shoot/checks.h"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "image/file.h"

namespace tsukimi {
namespace {

using nlohmann::json;

constexpr int kMethod = 2;  // raise when the checks judge otherwise

std::filesystem::path file_of(const Shoot& shoot, const char* what) {
  std::string id = shoot.sequence.folder.string() + "\n" + std::to_string(kMethod);
  for (const auto& f : shoot.sequence.frames)
    id += "\n" + f.file + " " + std::to_string(f.bytes) + " " + std::to_string(f.modified);
  return cache_folder() / "checks" / (cache_name(id) + what);
}

}  // namespace

std::optional<Checks> load_checks(const Shoot& shoot) {
  const auto bytes = read_file(file_of(shoot, ".json"));
  if (!bytes) return {};
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  try {
    Checks out;
    for (const auto& s : j.at("shifts")) out.shifts.push_back({s.at(0), s.at(1), s.at(2) == 1});
    if (out.shifts.size() != shoot.sequence.frames.size()) return {};
    for (const auto& s : j.at("suspects")) {
      const int frame = s.at("frame"), kind = s.at("kind");
      if (frame < 0 || frame >= shoot.frame_count() || kind < 0 ||
          kind > static_cast<int>(SuspectKind::bumped))
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
  const auto file = file_of(shoot, ".json");
  std::error_code ec;
  std::filesystem::create_directories(file.parent_path(), ec);
  const std::string text = json{{"shifts", shifts}, {"suspects", suspects}}.dump(
      -1, ' ', false, json::error_handler_t::replace);
  (void)write_file(file, text, IfExists::replace);  // a full cache disk must not stop the work
}

void know_hot_pixels(Shoot& shoot, const Work& work) {
  const auto& keys = shoot.decisions.keys;
  const bool wanted = std::any_of(keys.begin(), keys.end(),
                                  [](const KeyFrame& k) { return k.look[Param::hot_pixels] > 0; });
  if (!wanted || shoot.hot_pixels) return;
  const auto file = file_of(shoot, "-hot.json");
  HotPixels hot;
  if (const auto bytes = read_file(file)) {
    const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
    try {
      for (const auto& p : j) hot.push_back({p.at(0), p.at(1), p.at(2)});
      shoot.hot_pixels = std::make_shared<const HotPixels>(std::move(hot));
      return;
    } catch (const json::exception&) {
      hot.clear();  // a damaged cache is no cache
    }
  }
  hot = find_hot_pixels(shoot.sequence.folder, shoot.sequence.frames, work);
  if (work.stop()) return;
  json all = json::array();
  for (const auto& p : hot) all.push_back({p.x, p.y, p.strength});
  std::error_code ec;
  std::filesystem::create_directories(file.parent_path(), ec);
  (void)write_file(file, all.dump(), IfExists::replace);
  shoot.hot_pixels = std::make_shared<const HotPixels>(std::move(hot));
}

}  // namespace tsukimi
