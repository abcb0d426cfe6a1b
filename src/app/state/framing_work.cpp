// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/framing_work.h"

namespace tsukimi::app {

FramingWork::FramingWork(Document& document, Playhead& playhead, KeyWork& keys, Notices& notices)
    : document_(document), playhead_(playhead), keys_(keys), notices_(notices) {
  connect(&document_, &Document::opened, this, [this] { set_drawing(Drawing::none); });
}

void FramingWork::set_working(bool on) {
  if (std::exchange(working_, on) == on) return;
  drawing_ = Drawing::none;
  keys_.set_target(on ? KeyTarget{kGlide} : KeyTarget{});
  emit changed();
}

void FramingWork::set_guides(Guides guides) {
  guides_ = guides;
  emit changed();
}

void FramingWork::set_drawing(Drawing drawing) {
  if (std::exchange(drawing_, drawing) != drawing) emit changed();
}

bool FramingWork::has_glide() const {
  return document_.is_open() && !document_.decisions().framing.glide.keys.empty();
}

bool FramingWork::is_free() const { return document_.decisions().framing.aspect.empty(); }

CropAt FramingWork::crop() const {
  const FramingCourse& course = document_.courses().framing;
  return course.crop(course.time(playhead_.frame()));
}

double FramingWork::height() const {
  const Rect& r = document_.decisions().framing.crop;
  return crop().w * r.h / r.w;
}

void FramingWork::set_shape(const QString& aspect) {
  document_.edit(tr("Crop"), [&](Shoot& s) { tsukimi::set_shape(s, aspect.toStdString()); });
}

void FramingWork::set_crop(const CropAt& crop, std::optional<double> height,
                           const QString& gesture) {
  const int frame = playhead_.frame();
  const bool made = has_glide() && !has_key(document_.shoot(), frame, {kGlide});
  document_.edit(
      tr("Crop"), [&](Shoot& s) { tsukimi::set_crop(s, frame, crop, height); }, gesture);
  if (made)
    emit notices_.message(tr("A key frame of the glide was made at frame %1.").arg(frame + 1));
}

void FramingWork::straighten(double degrees, const QString& gesture) {
  document_.edit(
      tr("Straighten"),
      [&](Shoot& s) { s.decisions.framing.straighten = std::clamp(degrees, -45.0, 45.0); },
      gesture);
}

void FramingWork::level_by(Point from, Point to) {
  set_drawing(Drawing::none);
  straighten(lean_of(document_.shoot(), from, to), {});
}

void FramingWork::propose(GlideKind kind) {
  document_.edit(tr("Propose a glide"), [&](Shoot& s) { propose_glide(s, kind); });
}

void FramingWork::end_glide() {
  const int frame = playhead_.frame();
  document_.edit(tr("No glide"), [&](Shoot& s) { tsukimi::end_glide(s, frame); });
}

bool FramingWork::rests() const {
  const auto& keys = document_.decisions().framing.glide.keys;
  return !keys.empty() && keys.front().easing == Easing::eased &&
         keys.back().easing == Easing::eased;
}

void FramingWork::set_rest(bool at_ends) {
  document_.edit(tr("Set easing"), [&](Shoot& s) {
    ease_ends(s);
    if (at_ends) return;
    for (KeyFrame& k : s.decisions.framing.glide.keys) k.easing = Easing::smooth;
  });
}

void FramingWork::set_steadying(Steadying how) {
  document_.edit(tr("Steady"), [&](Shoot& s) { s.decisions.framing.steady.how = how; });
}

void FramingWork::set_period(double frames, const QString& gesture) {
  document_.edit(
      tr("Set shortest movement"),
      [&](Shoot& s) {
        s.decisions.framing.steady.period = std::clamp(frames, kLeastPeriod, kMostPeriod);
      },
      gesture);
}

void FramingWork::add_area(const Rect& area) {
  set_drawing(Drawing::none);
  document_.edit(tr("Draw area to follow"),
                 [&](Shoot& s) { s.decisions.framing.steady.areas.push_back(area); });
}

void FramingWork::clear_areas() {
  document_.edit(tr("Follow what stands still"),
                 [](Shoot& s) { s.decisions.framing.steady.areas.clear(); });
}

}  // namespace tsukimi::app
