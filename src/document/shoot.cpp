#include "document/shoot.h"

#include <algorithm>
#include <cmath>
#include <map>

namespace tsukimi {
namespace {

double clamped(Param p, double v) { return std::clamp(v, info(p).min, info(p).max); }

}  // namespace

Result<Shoot> start_shoot(Sequence sequence) {
  Shoot shoot;
  std::string problem = "no frame can be used";
  for (auto& frame : sequence.frames) {
    if (!frame.usable()) continue;
    const auto first = read_frame(sequence.folder / frame.file);
    if (first) {
      const auto t = as_shot_temperature(first->colour);
      shoot.as_shot = {clamped(Param::temperature, t.kelvin), clamped(Param::tint, t.tint)};
      shoot.sequence = std::move(sequence);
      return shoot;
    }
    problem = first.error().message;
    frame.problem = "cannot be read";
  }
  for (const auto& f : sequence.frames)
    if (!f.problem.empty() && problem == "no frame can be used") problem = f.file + " " + f.problem;
  return fail("No frame in " + sequence.folder.string() + " can be read: " + problem);
}

LookCourse::LookCourse(const Shoot& shoot)
    : constant_(neutral_look(shoot.as_shot.kelvin, shoot.as_shot.tint)),
      axis_(time_axis(shoot.sequence.frames)) {
  const auto& keys = shoot.decisions.keys;
  if (keys.empty()) return;
  std::vector<double> xs;
  for (const auto& k : keys) xs.push_back(axis_[k.frame]);
  for (const auto& row : parameter_table()) {
    std::vector<double> ys;
    for (const auto& k : keys) {
      double y = to_scale(row.scale, k.look[row.id]);
      // Angles go the short way round.
      if (row.scale == Scale::angle && !ys.empty()) y += 360 * std::round((ys.back() - y) / 360);
      ys.push_back(y);
    }
    curves_.emplace_back(xs, ys);
  }
}

double LookCourse::at(Param p, int frame) const {
  if (curves_.empty()) return constant_[p];
  return clamped(p, from_scale(info(p).scale, curves_[static_cast<int>(p)].at(axis_[frame])));
}

Look LookCourse::at(int frame) const {
  Look look;
  for (const auto& row : parameter_table()) look[row.id] = at(row.id, frame);
  return look;
}

int key_at(const Decisions& d, int frame) {
  for (std::size_t i = 0; i < d.keys.size(); ++i)
    if (d.keys[i].frame == frame) return static_cast<int>(i);
  return -1;
}

void add_key(Shoot& shoot, int frame) {
  auto& keys = shoot.decisions.keys;
  if (key_at(shoot.decisions, frame) >= 0) return;
  const KeyFrame key{frame, LookCourse(shoot).at(frame)};
  keys.insert(
      std::upper_bound(keys.begin(), keys.end(), key,
                       [](const KeyFrame& a, const KeyFrame& b) { return a.frame < b.frame; }),
      key);
}

void remove_key(Shoot& shoot, int frame) {
  std::erase_if(shoot.decisions.keys, [&](const KeyFrame& k) { return k.frame == frame; });
}

void set_value(Shoot& shoot, Param p, int frame, double value, bool everywhere) {
  if (everywhere && !shoot.decisions.keys.empty()) {
    const Scale scale = info(p).scale;
    const double by = to_scale(scale, value) - to_scale(scale, LookCourse(shoot).at(p, frame));
    for (auto& k : shoot.decisions.keys)
      k.look[p] = clamped(p, from_scale(scale, to_scale(scale, k.look[p]) + by));
    return;
  }
  add_key(shoot, frame);
  shoot.decisions.keys[key_at(shoot.decisions, frame)].look[p] = clamped(p, value);
}

void sort_shoot(Shoot& shoot, FrameOrder order) {
  auto& frames = shoot.sequence.frames;
  auto& d = shoot.decisions;
  std::vector<std::string> before;
  for (const auto& f : frames) before.push_back(f.file);
  shoot.sequence.order = d.order = order;
  shoot.sequence.ordering = sort_frames(frames, order);
  std::map<std::string, int> place;
  for (std::size_t i = 0; i < frames.size(); ++i) place[frames[i].file] = static_cast<int>(i);
  auto moved = [&](int frame) { return place.at(before[frame]); };
  for (auto* list : {&d.set_aside, &d.looked_at}) {
    for (int& f : *list) f = moved(f);
    std::sort(list->begin(), list->end());
  }
  for (auto& k : d.keys) k.frame = moved(k.frame);
  std::sort(d.keys.begin(), d.keys.end(),
            [](const KeyFrame& a, const KeyFrame& b) { return a.frame < b.frame; });
  // The ends of the film are places, not pictures: they stay where they are.
  find_facts(shoot.sequence);
}

void append_frames(Shoot& shoot, std::vector<FrameInfo> frames) {
  auto& all = shoot.sequence.frames;
  sort_frames(frames, shoot.decisions.order);
  for (auto& f : frames) all.push_back(std::move(f));
  find_facts(shoot.sequence);
}

Size output_size(const Shoot& shoot) {
  const Size wanted = shoot.decisions.output.size;
  return wanted.width > 0 ? wanted
                          : natural_size(shoot.sequence.size, shoot.decisions.framing.crop);
}

Rect film_rect(const Shoot& shoot) {
  const Rect crop = shoot.decisions.framing.crop;
  const Size out = output_size(shoot), frame = shoot.sequence.size;
  const double have = crop.w * frame.width / (crop.h * frame.height);
  const double want = static_cast<double>(out.width) / out.height;
  Rect r = crop;
  if (have > want)
    r.w *= want / have;
  else
    r.h *= have / want;
  r.x += (crop.w - r.w) / 2;
  r.y += (crop.h - r.h) / 2;
  return r;
}

std::string shape_note(const Shoot& shoot) {
  const Rect crop = shoot.decisions.framing.crop, film = film_rect(shoot);
  const double lost = 1 - film.w * film.h / (crop.w * crop.h);
  if (lost < 0.005) return {};
  const Size out = output_size(shoot);
  char text[160];
  std::snprintf(text, sizeof text,
                "%d×%d has another shape than the crop: %.0f %% of it is cut away at the %s.",
                out.width, out.height, std::max(1.0, 100 * lost),
                film.w < crop.w ? "sides" : "top and bottom");
  return text;
}

}  // namespace tsukimi
