// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/trail_run.h"

#include <cstring>

#include "base/cache.h"
#include "base/own_files.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kEvery = 20;  // frames
constexpr std::size_t kSets = 2;    // the last, and the one before it should that be cut short
constexpr const char* kFolder = "trails";

bool is_trail_name(std::string_view name) {
  constexpr std::string_view kEnd = ".trail";
  constexpr std::size_t kDigits = 32;
  return name.ends_with(kEnd) && is_hexadecimal(name.substr(0, name.size() - kEnd.size()), kDigits);
}

void remove_kept(const fs::path& file) {
  static const OwnKind kKept{is_trail_name, "TKCACHE"};
  if (!file.empty()) (void)remove_own_file(file.parent_path(), file.filename().string(), {kKept});
}

}  // namespace

TrailRun::TrailRun(std::span<const Route> routes)
    : routes_(routes),
      lead_(routes.front().plan.lead.size()),
      frames_(routes.front().plan.frames.size()),
      falls_back_(routes.front().plan.falls_back),
      states_(routes.size()) {}

std::size_t TrailRun::index(std::size_t place) const {
  return falls_back_ ? count() - 1 - place : place - lead_;
}

std::size_t TrailRun::place(std::size_t index) const {
  return falls_back_ ? count() - 1 - index : lead_ + index;
}

const PlannedFrame& TrailRun::at(std::size_t route, std::size_t place) const {
  const ExportPlan& plan = routes_[route].plan;
  return is_lead(place) ? plan.lead[place] : plan.frames[index(place)];
}

fs::path TrailRun::file(std::size_t route, std::size_t place) const {
  const Size size = routes_[route].plan.size;
  return cache_path(kFolder,
                    cache_name(at(route, place).recipe.trail->all_before + " " +
                               std::to_string(size.width) + "x" + std::to_string(size.height)) +
                        ".trail");
}

std::size_t TrailRun::go_on_before(std::size_t place) {
  for (std::size_t k = place / kEvery * kEvery; k >= kEvery; k -= kEvery) {
    std::vector<TrailState> found;
    std::vector<fs::path> files;
    for (std::size_t r = 0; r < routes_.size(); ++r) {
      const auto bytes = load_cached(file(r, k - 1));
      auto state = bytes ? TrailState::from_bytes(*bytes) : tl::unexpected(bytes.error());
      if (!state) break;
      found.push_back(std::move(*state));
      files.push_back(file(r, k - 1));
    }
    if (found.size() < routes_.size()) continue;
    states_ = std::move(found);
    kept_.push_back(std::move(files));  // goes as those of this pass do
    return k;
  }
  return 0;
}

Image TrailRun::show(std::size_t route, Image picture, const FilmRecipe& recipe) {
  return states_[route].show(std::move(picture), recipe);
}

void TrailRun::miss(std::size_t place) {
  for (std::size_t r = 0; r < states_.size(); ++r) states_[r].miss(at(r, place).recipe);
}

void TrailRun::set_ground(std::size_t route, Image ground) {
  states_[route].set_ground(std::move(ground));
}

void TrailRun::keep(std::size_t place) {
  if ((place + 1) % kEvery != 0) return;
  auto& set = kept_.emplace_back();
  for (std::size_t r = 0; r < states_.size(); ++r) {
    const fs::path to = file(r, place);
    if (save_cached(to, states_[r].bytes())) set.push_back(to);
  }
  if (kept_.size() <= kSets) return;
  std::ranges::for_each(kept_.front(), remove_kept);
  kept_.erase(kept_.begin());
}

void TrailRun::forget() {
  for (const auto& set : kept_) std::ranges::for_each(set, remove_kept);
  kept_.clear();
}

fs::path Scratch::file(std::size_t frame) const {
  return cache_path(kFolder, cache_name(name_ + " " + std::to_string(frame)) + ".trail");
}

void Scratch::put(std::size_t frame, Image picture) {
  std::vector<std::uint8_t> bytes(3 * picture.planes[0].data.size() * sizeof(float));
  std::size_t at = 0;
  for (const Plane& plane : picture.planes) {
    std::memcpy(bytes.data() + at, plane.data.data(), plane.data.size() * sizeof(float));
    at += plane.data.size() * sizeof(float);
  }
  if (save_cached(file(frame), bytes))
    on_disk_[frame] = picture.size();
  else
    in_memory_[frame] = std::move(picture);
}

std::optional<Image> Scratch::take(std::size_t frame) {
  if (const auto held = in_memory_.find(frame); held != in_memory_.end()) {
    Image out = std::move(held->second);
    in_memory_.erase(held);
    return out;
  }
  const auto there = on_disk_.find(frame);
  if (there == on_disk_.end()) return {};
  Image out(there->second.width, there->second.height);
  on_disk_.erase(there);
  const auto bytes = load_cached(file(frame));
  remove_kept(file(frame));
  if (!bytes || bytes->size() != 3 * out.planes[0].data.size() * sizeof(float)) return {};
  std::size_t at = 0;
  for (Plane& plane : out.planes) {
    std::memcpy(plane.data.data(), bytes->data() + at, plane.data.size() * sizeof(float));
    at += plane.data.size() * sizeof(float);
  }
  return out;
}

Scratch::~Scratch() {
  for (const auto& [frame, size] : on_disk_) remove_kept(file(frame));
}

}  // namespace tsukimi
