// SPDX-License-Identifier: GPL-3.0-or-later
#include "adjust/keyed_values.h"

#include <algorithm>
#include <cmath>

namespace tsukimi {

const KeyFrame* KeyedValues::find(FrameId frame) const {
  const auto it = std::ranges::lower_bound(keys, frame, {}, &KeyFrame::frame);
  return it != keys.end() && it->frame == frame ? &*it : nullptr;
}

KeyFrame& KeyedValues::at(FrameId frame, const Values& otherwise) {
  const auto it = std::ranges::lower_bound(keys, frame, {}, &KeyFrame::frame);
  if (it != keys.end() && it->frame == frame) return *it;
  return *keys.insert(it, {frame, otherwise});
}

void KeyedValues::remove(FrameId frame) {
  std::erase_if(keys, [&](const KeyFrame& k) { return k.frame == frame; });
}

Course::Course(const KeyedValues& keyed, Values otherwise, std::vector<double> axis,
               const std::vector<int>& places)
    : constant_(std::move(otherwise)), axis_(std::move(axis)) {
  std::vector<std::pair<double, const KeyFrame*>> keys;
  for (const auto& k : keyed.keys)
    keys.emplace_back(place(places[static_cast<std::size_t>(k.frame)]), &k);
  std::ranges::sort(keys, {}, [](const auto& k) { return k.first; });
  if (keys.empty()) return;
  std::vector<double> xs;
  std::vector<Easing> easing;
  for (const auto& [x, k] : keys) xs.push_back(x), easing.push_back(k->easing);
  for (const auto& row : keyed.kind.rows()) {
    std::vector<double> ys;
    for (const auto& [x, k] : keys) {
      double y = to_scale(row.scale, k->values[row.id]);
      // Angles go the short way round.
      if (row.scale == Scale::angle && !ys.empty()) y += 360 * std::round((ys.back() - y) / 360);
      ys.push_back(y);
    }
    curves_.emplace_back(xs, ys, easing);
  }
}

double Course::at_place(Param p, double place) const {
  if (curves_.empty()) return constant_[p];
  const auto& curve = curves_[static_cast<std::size_t>(constant_.kind.index(p))];
  return clamped(p, from_scale(info(p).scale, curve.at(place)));
}

Values Course::at(int frame) const {
  Values out{constant_.kind};
  for (const auto& row : out.kind.rows()) out[row.id] = at(row.id, frame);
  return out;
}

void move_keys(KeyedValues& keyed, const std::function<FrameId(FrameId)>& to) {
  for (KeyFrame& k : keyed.keys) k.frame = to(k.frame);
  keyed.remove(FrameId::none);
  std::ranges::stable_sort(keyed.keys, {}, &KeyFrame::frame);
  // Frames that have become one keep what the first of them had.
  keyed.keys.erase(std::ranges::unique(keyed.keys, {}, &KeyFrame::frame).begin(), keyed.keys.end());
}

void move_all(KeyedValues& keyed, Param p, double from, double to) {
  const Scale scale = info(p).scale;
  const double by = to_scale(scale, to) - to_scale(scale, from);
  for (auto& k : keyed.keys)
    k.values[p] = clamped(p, from_scale(scale, to_scale(scale, k.values[p]) + by));
}

}  // namespace tsukimi
