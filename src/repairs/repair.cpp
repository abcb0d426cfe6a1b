#include "repairs/repair.h"

#include <algorithm>
#include <cmath>

#include "base/text.h"
#include "image/fast_math.h"

namespace tsukimi {
namespace {

constexpr const char *kKindNames[] = {"spot", "dust", "area"},
                     *kFillNames[] = {"around", "source", "time"};
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
      values_(repair.values, presets(kSpot), axis, places),
      apertures_(std::move(apertures)) {
  auto place = [&](FrameId id, int otherwise) {
    return id == FrameId::none ? otherwise : places[static_cast<std::size_t>(id)];
  };
  first_ = place(repair.first, 0);
  last_ = place(repair.last, static_cast<int>(axis.size()) - 1);
}

std::optional<RepairAt> RepairCourse::at(int frame) const {
  const bool there = repair_.kind != RepairKind::area || (frame >= first_ && frame <= last_);
  if (!repair_.on || !there) return {};
  RepairAt out = whole(frame);
  if (out.kind != RepairKind::spot && out.strength <= 0) return {};
  return out;
}

RepairAt RepairCourse::whole(int frame) const {
  RepairAt out;
  out.kind = repair_.kind;
  if (repair_.kind == RepairKind::spot) {
    const Values v = values_.at(frame);
    out.at = {v[Param::spot_x], v[Param::spot_y]};
    out.source = {v[Param::spot_from_x], v[Param::spot_from_y]};
    out.radius = v[Param::spot_radius];
    return out;
  }
  if (repair_.kind == RepairKind::dust) {
    const Shadow s = shadow_at(repair_.shadows, apertures_[static_cast<std::size_t>(frame)]);
    out.at = repair_.at;
    out.radius = s.radius;
    out.strength = s.radius > 0 ? s.strength : 0;
    out.falloff = s.falloff;
    return out;
  }
  out.polygon = repair_.polygon;
  out.fill = repair_.fill;
  out.at = middle_of(repair_.polygon);
  out.source = repair_.source;
  if (out.fill == FillFrom::around) out.quilt = repair_.quilt;
  // It comes and goes where the film goes on; at the ends of the sequence it is whole.
  const int frames = static_cast<int>(apertures_.size());
  const double in = first_ > 0 ? (frame - first_ + 1.0) / (repair_.fade + 1) : 1,
               away = last_ < frames - 1 ? (last_ - frame + 1.0) / (repair_.fade + 1) : 1;
  const double t = std::clamp(std::min(in, away), 0.0, 1.0);
  out.strength = smooth_step(t);
  if (!out.is_from_time()) return out;
  out.time.first = first_;
  out.time.last = last_;
  out.time.towards = (frame - first_ + 1.0) / (last_ - first_ + 2.0);
  return out;
}

void move_keys(Repair& repair, const std::function<FrameId(FrameId)>& to) {
  auto& keys = repair.values.keys;
  for (KeyFrame& k : keys) k.frame = to(k.frame);
  std::erase_if(keys, [](const KeyFrame& k) { return k.frame == FrameId::none; });
  std::ranges::sort(keys, {}, &KeyFrame::frame);
  for (FrameId* end : {&repair.first, &repair.last})
    if (*end != FrameId::none) *end = to(*end);
}

void add_text(std::string& out, const RepairAt& r) {
  out += std::string(out.empty() ? "mend " : " mend ") + kRepairKinds[r.kind].name;
  for (double v : {r.at.x, r.at.y, r.radius, r.strength, r.source.x, r.source.y}) number(out, v);
  if (r.falloff != Shadow::kRound) out += " falloff", number(out, r.falloff);
  if (r.kind != RepairKind::area) return;
  out += std::string(" ") + kFills[r.fill].name;
  for (const Point& p : r.polygon) number(out, p.x), number(out, p.y);
  if (const Quilt& q = r.quilt; !q.empty()) {
    out += " quilt " + std::to_string(q.columns);
    for (double v : {q.from.x, q.from.y, q.cell.x, q.cell.y}) number(out, v);
    for (const Point& p : q.offsets) number(out, p.x), number(out, p.y);
    for (std::uint8_t k : q.which) out += " " + std::to_string(k);
  }
  if (r.fill != FillFrom::time) return;
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
  files("before", r.time.before);
  files("after", r.time.after);
  number(out, r.time.towards);
  lies(r.time.lies);
}

}  // namespace tsukimi
