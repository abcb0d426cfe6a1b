// SPDX-License-Identifier: GPL-3.0-or-later
#include "repairs/repair.h"

#include <algorithm>
#include <cmath>

#include "base/overloaded.h"
#include "base/text.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr double kDeepest = 0.9;

void number(std::string& out, double v) {
  char text[40];
  std::snprintf(text, sizeof text, " %.9g", v);
  out += text;
}

}  // namespace

Shadow shadow_at(const std::vector<Shadow>& measured, double aperture) {
  if (measured.empty()) return {};
  auto beyond = [&](const Shadow& s) {
    if (aperture <= 0 || s.aperture <= 0) return s;
    const double by = aperture / s.aperture;
    return Shadow{aperture, s.radius / by, std::min(s.strength * by * by, kDeepest), s.falloff};
  };
  const auto next = std::ranges::lower_bound(measured, aperture, {}, &Shadow::aperture);
  if (next == measured.end()) return beyond(measured.back());
  if (next == measured.begin() || next->aperture == aperture) return beyond(*next);
  const Shadow &a = *(next - 1), &b = *next;
  if (a.aperture <= 0) return beyond(b);
  const double t = std::log(aperture / a.aperture) / std::log(b.aperture / a.aperture);
  return {aperture, a.radius + t * (b.radius - a.radius),
          a.strength + t * (b.strength - a.strength), a.falloff + t * (b.falloff - a.falloff)};
}

double taken_by_shadow(double d, double strength, double falloff) {
  return strength * std::exp(-std::pow(d, falloff));
}

Point middle_of(const std::vector<Point>& polygon) {
  const Bounds b = bounds_of(polygon);
  return polygon.empty() ? Point{} : Point{(b.left + b.right) / 2, (b.top + b.bottom) / 2};
}

RepairCourse::RepairCourse(const Repair& repair, const std::vector<double>& axis,
                           const std::vector<int>& places, std::vector<double> apertures)
    : repair_(repair),
      values_(repair.spot() ? repair.spot()->values : KeyedValues{kSpot, {}}, presets(kSpot), axis,
              places),
      apertures_(std::move(apertures)),
      last_(static_cast<int>(axis.size()) - 1) {
  const AreaRepair* area = repair_.area();
  if (!area) return;
  if (area->first != FrameId::none) first_ = places[static_cast<std::size_t>(area->first)];
  if (area->last != FrameId::none) last_ = places[static_cast<std::size_t>(area->last)];
}

std::optional<RepairAt> RepairCourse::at(int frame) const {
  if (!repair_.on || frame < first_ || frame > last_) return {};
  RepairAt out = whole(frame);
  const double strength = std::visit(
      Overloaded{[](const SpotAt&) { return 1.0; }, [](const DustAt& d) { return d.strength; },
                 [](const AreaAt& a) { return a.strength; }},
      out.what);
  if (strength <= 0) return {};
  return out;
}

RepairAt RepairCourse::whole(int frame) const {
  return std::visit([&](const auto& what) { return at_moment(what, frame); }, repair_.what);
}

RepairAt RepairCourse::at_moment(const SpotRepair&, int frame) const {
  const Values v = values_.at(frame);
  return {{SpotAt{{v[Param::spot_x], v[Param::spot_y]},
                  {v[Param::spot_from_x], v[Param::spot_from_y]},
                  v[Param::spot_radius]}}};
}

RepairAt RepairCourse::at_moment(const DustRepair& dust, int frame) const {
  const Shadow s = shadow_at(dust.shadows, apertures_[static_cast<std::size_t>(frame)]);
  return {{DustAt{dust.at, s.radius, s.radius > 0 ? s.strength : 0, s.falloff}}};
}

RepairAt RepairCourse::at_moment(const AreaRepair& area, int frame) const {
  AreaAt out;
  out.polygon = area.polygon;
  out.fill = area.fill;
  out.at = middle_of(area.polygon);
  out.source = area.source;
  if (out.fill == FillFrom::around) out.quilt = area.quilt;
  // It comes and goes where the film goes on; at the ends of the sequence it is whole.
  const int frames = static_cast<int>(apertures_.size());
  const double in = first_ > 0 ? (frame - first_ + 1.0) / (area.fade + 1) : 1,
               away = last_ < frames - 1 ? (last_ - frame + 1.0) / (area.fade + 1) : 1;
  out.strength = smooth_step(std::clamp(std::min(in, away), 0.0, 1.0));
  if (out.is_from_time()) {
    out.time.first = first_;
    out.time.last = last_;
    out.time.towards = (frame - first_ + 1.0) / (last_ - first_ + 2.0);
  }
  return {{std::move(out)}};
}

void move_keys(Repair& repair, const std::function<FrameId(FrameId)>& to) {
  std::visit(Overloaded{[&](SpotRepair& spot) {
                          auto& keys = spot.values.keys;
                          for (KeyFrame& k : keys) k.frame = to(k.frame);
                          std::erase_if(keys,
                                        [](const KeyFrame& k) { return k.frame == FrameId::none; });
                          std::ranges::sort(keys, {}, &KeyFrame::frame);
                        },
                        [](DustRepair&) {},
                        [&](AreaRepair& area) {
                          for (FrameId* end : {&area.first, &area.last})
                            if (*end != FrameId::none) *end = to(*end);
                        }},
             repair.what);
}

namespace {

void add_text(std::string& out, const Quilt& q) {
  out += " quilt " + std::to_string(q.columns);
  for (double v : {q.from.x, q.from.y, q.cell.x, q.cell.y}) number(out, v);
  for (const Point& p : q.offsets) number(out, p.x), number(out, p.y);
  for (std::uint8_t k : q.which) out += " " + std::to_string(k);
}

void add_text(std::string& out, const TimeSources& time) {
  auto lies = [&](const Similarity& s) {
    if (s == Similarity{}) return;
    out += " lies";
    for (double v : {s.dx, s.dy, s.angle, s.log_scale}) number(out, v);
  };
  auto files = [&](const char* when, const std::vector<TimeFrame>& frames) {
    out += std::string(" ") + when;
    for (const TimeFrame& f : frames) {
      out += " " + to_json_name(f.info.file) + " " + std::to_string(f.info.bytes) + " " +
             std::to_string(f.info.modified);
      lies(f.lies);
    }
  };
  files("before", time.before);
  files("after", time.after);
  number(out, time.towards);
  lies(time.lies);
}

}  // namespace

void add_text(std::string& out, const RepairAt& repair) {
  out += std::string(out.empty() ? "mend " : " mend ") + kRepairKinds[repair.kind()].name;
  // The same six numbers of every kind, as recipes have always been told.
  auto numbers = [&](const Point& at, double radius, double strength, const Point& source) {
    for (double v : {at.x, at.y, radius, strength, source.x, source.y}) number(out, v);
  };
  std::visit(Overloaded{[&](const SpotAt& spot) { numbers(spot.at, spot.radius, 1, spot.source); },
                        [&](const DustAt& dust) {
                          numbers(dust.at, dust.radius, dust.strength, {});
                          if (dust.falloff != Shadow::kRound)
                            out += " falloff", number(out, dust.falloff);
                        },
                        [&](const AreaAt& area) {
                          numbers(area.at, 0, area.strength, area.source);
                          out += std::string(" ") + kFills[area.fill].name;
                          for (const Point& p : area.polygon) number(out, p.x), number(out, p.y);
                          if (!area.quilt.empty()) add_text(out, area.quilt);
                          if (area.is_from_time()) add_text(out, area.time);
                        }},
             repair.what);
}

}  // namespace tsukimi
