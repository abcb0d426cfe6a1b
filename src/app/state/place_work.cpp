// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/place_work.h"

#include <QApplication>
#include <QClipboard>
#include <nlohmann/json.hpp>

#include "document/files/places_json.h"
#include "document/place_keys.h"
#include "document/values.h"

namespace tsukimi::app {

QString words_of(ShapeKind kind) {
  return kind == ShapeKind::graduated ? PlaceWork::tr("Graduated")
         : kind == ShapeKind::ellipse ? PlaceWork::tr("Ellipse")
                                      : PlaceWork::tr("Painted");
}

PlaceWork::PlaceWork(Document& document, Playhead& playhead, KeyWork& keys, Notices& notices)
    : document_(document), playhead_(playhead), keys_(keys), notices_(notices) {
  connect(&document_, &Document::opened, this, [this] {
    drawing_ = false;
    hold_to_what_is_there();
  });
  connect(&document_, &Document::changed, this, &PlaceWork::hold_to_what_is_there);
}

// Undo, and another shoot, may have taken it away.
void PlaceWork::hold_to_what_is_there() {
  const int count = document_.is_open() ? static_cast<int>(document_.decisions().places.size()) : 0;
  const int chosen = std::min(chosen_ < 0 && count > 0 ? 0 : chosen_, count - 1);
  if (chosen != chosen_) return choose(chosen);
  if (const LocalPlace* p = place(); p && shape_ >= std::ssize(p->shapes))
    shape_ = std::max(0, static_cast<int>(p->shapes.size()) - 1);
  emit changed();
}

void PlaceWork::set_working(bool on) {
  working_ = on;
  keys_.set_target(on && chosen_ >= 0 ? KeyTarget{kPlace, chosen_} : KeyTarget{});
  ++serial_;
  emit changed();
}

void PlaceWork::choose(int place) {
  if (place == chosen_) return;
  chosen_ = place;
  shape_ = 0;
  drawing_ = false;
  ++serial_;
  if (working_) keys_.set_target(chosen_ >= 0 ? KeyTarget{kPlace, chosen_} : KeyTarget{});
  emit changed();
}

void PlaceWork::choose_shape(int shape) {
  if (std::exchange(shape_, shape) != shape) emit changed();
}

const LocalPlace* PlaceWork::place() const {
  if (!document_.is_open() || chosen_ < 0 || chosen_ >= std::ssize(document_.decisions().places))
    return nullptr;
  return &document_.decisions().places[static_cast<std::size_t>(chosen_)];
}

const MaskShape* PlaceWork::chosen_shape() const {
  const LocalPlace* p = place();
  return p && shape_ >= 0 && shape_ < std::ssize(p->shapes)
             ? &p->shapes[static_cast<std::size_t>(shape_)]
             : nullptr;
}

std::optional<PlaceAt> PlaceWork::at(int frame) const {
  if (!place()) return {};
  return document_.courses().places[static_cast<std::size_t>(chosen_)].whole(frame);
}

FrameId PlaceWork::here() const { return document_.shoot().sequence.id_of(playhead_.frame()); }

void PlaceWork::edit(const QString& text, const std::function<void(LocalPlace&)>& change,
                     const QString& gesture) {
  if (!place()) return;
  document_.edit(
      text, [&](Shoot& s) { change(s.decisions.places[static_cast<std::size_t>(chosen_)]); },
      gesture);
}

void PlaceWork::edit_all(const QString& text,
                         const std::function<void(std::vector<LocalPlace>&)>& change,
                         int then_chosen) {
  if (!document_.is_open()) return;
  document_.edit(text, [&](Shoot& s) { change(s.decisions.places); });
  choose(then_chosen);
  hold_to_what_is_there();
}

void PlaceWork::add(ShapeKind kind) {
  if (!document_.is_open()) return;
  const int count = static_cast<int>(document_.decisions().places.size());
  const std::string name = (words_of(kind) + QString(" %1").arg(count + 1)).toStdString();
  edit_all(
      tr("Add a place"),
      [&](std::vector<LocalPlace>& all) { all.push_back(new_place(name, kind, here())); }, count);
  drawing_ = kind != ShapeKind::painted;
  // What is painted must be seen before it does anything.
  if (kind == ShapeKind::painted) set_veil(true);
  emit changed();
}

void PlaceWork::remove() {
  if (!place()) return;
  edit_all(
      tr("Remove a place"), [&](std::vector<LocalPlace>& all) { all.erase(all.begin() + chosen_); },
      std::min(chosen_, static_cast<int>(document_.decisions().places.size()) - 2));
}

void PlaceWork::duplicate() {
  if (!place()) return;
  edit_all(
      tr("Duplicate a place"),
      [&](std::vector<LocalPlace>& all) {
        LocalPlace copy = all[static_cast<std::size_t>(chosen_)];
        copy.name = (QString::fromStdString(copy.name) + tr(", a copy")).toStdString();
        all.insert(all.begin() + chosen_ + 1, std::move(copy));
      },
      chosen_ + 1);
}

void PlaceWork::rename(int place, const QString& name) {
  if (!document_.is_open() || place >= std::ssize(document_.decisions().places)) return;
  const std::string wanted = name.trimmed().toStdString();
  if (wanted.empty() ||
      wanted == document_.decisions().places[static_cast<std::size_t>(place)].name)
    return emit changed();
  document_.edit(tr("Rename a place"), [&](Shoot& s) {
    s.decisions.places[static_cast<std::size_t>(place)].name = wanted;
  });
}

void PlaceWork::move(int by) {
  const int to = chosen_ + by;
  if (!place() || to < 0 || to >= std::ssize(document_.decisions().places)) return;
  edit_all(
      tr("Move a place"), [&](std::vector<LocalPlace>& all) { std::swap(all[chosen_], all[to]); },
      to);
}

void PlaceWork::set_on(int place, bool on) {
  if (!document_.is_open() || place >= std::ssize(document_.decisions().places)) return;
  document_.edit(on ? tr("Switch a place on") : tr("Switch a place off"),
                 [&](Shoot& s) { s.decisions.places[static_cast<std::size_t>(place)].on = on; });
}

void PlaceWork::set_invert(bool on) {
  edit(tr("Turn the mask over"), [&](LocalPlace& p) { p.invert = on; });
}

void PlaceWork::set_follow(bool on) {
  edit(tr("Follow the picture"),
       [&](LocalPlace& p) { p.follow = on ? Follow::picture : Follow::nothing; });
}

void PlaceWork::set_tones(const Limit& limit) {
  edit(
      tr("Set a range of tones"), [&](LocalPlace& p) { p.tones = limit; }, "range of tones");
}

void PlaceWork::set_hues(const Limit& limit) {
  edit(
      tr("Set a range of hues"), [&](LocalPlace& p) { p.hues = limit; }, "range of hues");
}

void PlaceWork::add_shape(ShapeKind kind, Combine how) {
  if (!place()) return;
  const int count = static_cast<int>(place()->shapes.size());
  edit(tr("Add a shape"), [&](LocalPlace& p) {
    p.shapes.push_back(new_shape(kind, here()));
    p.shapes.back().how = how;
  });
  shape_ = count;
  drawing_ = kind != ShapeKind::painted;
  emit changed();
}

void PlaceWork::remove_shape() {
  if (!chosen_shape()) return;
  edit(tr("Remove a shape"), [&](LocalPlace& p) { p.shapes.erase(p.shapes.begin() + shape_); });
}

void PlaceWork::set_how(Combine how) {
  if (!chosen_shape()) return;
  edit(tr("Combine shapes"),
       [&](LocalPlace& p) { p.shapes[static_cast<std::size_t>(shape_)].how = how; });
}

void PlaceWork::end_drawing() {
  if (std::exchange(drawing_, false)) emit changed();
}

bool PlaceWork::has_shape_key() const {
  const MaskShape* s = chosen_shape();
  if (!s) return false;
  return s->kind == ShapeKind::painted
             ? std::ranges::any_of(s->painted,
                                   [&](const PaintedKey& k) { return k.frame == here(); })
             : s->values.find(here()) != nullptr;
}

void PlaceWork::tell_of_key(bool there) {
  if (!there)
    emit notices_.message(tr("A key frame was made at frame %1.").arg(playhead_.frame() + 1));
}

void PlaceWork::set_shape(const std::vector<std::pair<Param, double>>& values,
                          const QString& gesture) {
  const MaskShape* shape = chosen_shape();
  if (!shape || shape->kind == ShapeKind::painted) return;
  const KeyTarget target{shape->values.kind, chosen_, shape_};
  const bool there = has_shape_key();
  document_.edit(
      tr("Move a shape"),
      [&](Shoot& s) {
        Values& v = values_at_key(s, playhead_.frame(), target);
        for (const auto& [p, value] : values) v[p] = clamped(p, value);
      },
      gesture + QString(" at %1").arg(playhead_.frame()));
  tell_of_key(there);
}

Painting PlaceWork::painting() const {
  const auto at = now();
  if (!at || shape_ >= std::ssize(at->shapes)) return {};
  const ShapeAt& s = at->shapes[static_cast<std::size_t>(shape_)];
  return s.painting.moved_by(s.from_key, aspect_of(document_.shoot()));
}

void PlaceWork::paint(const Painting& painting, const QString& gesture) {
  const MaskShape* shape = chosen_shape();
  if (!shape || shape->kind != ShapeKind::painted) return;
  const bool there = has_shape_key();
  document_.edit(
      tr("Paint"),
      [&](Shoot& s) { painting_at_key(s, chosen_, shape_, playhead_.frame()) = painting; },
      gesture + QString(" at %1").arg(playhead_.frame()));
  tell_of_key(there);
}

void PlaceWork::copy() const {
  if (!place()) return;
  const nlohmann::json all{
      {"places", nlohmann::json::array({to_json(*place(), document_.shoot().sequence)})}};
  QApplication::clipboard()->setText(QString::fromStdString(all.dump(1)));
  emit notices_.message(tr("The place is copied; it can be pasted into another shoot."));
}

bool PlaceWork::can_paste() const {
  return QApplication::clipboard()->text().left(200).contains("\"places\"");
}

// Key frames that lie beyond this shoot go; what the first one says stays.
void PlaceWork::paste() {
  if (!document_.is_open()) return;
  const auto j =
      nlohmann::json::parse(QApplication::clipboard()->text().toStdString(), nullptr, false);
  constexpr int kAnyFrame = 10'000'000;
  std::vector<LocalPlace> places;
  try {
    places = read_places(Fields(j, ""), kAnyFrame);
  } catch (const FieldError&) {
    emit notices_.message(tr("There is no place in the clipboard."));
    return;
  }
  const Sequence& sequence = document_.shoot().sequence;
  auto inside = [&](auto& keys) {
    const auto before = keys;
    std::erase_if(keys, [&](const auto& k) {
      return static_cast<int>(k.frame) >= document_.shoot().frame_count();
    });
    for (auto& k : keys) k.frame = sequence.id_of(static_cast<int>(k.frame));
    if (keys.empty() && !before.empty()) {
      keys.push_back(before.front());
      keys.front().frame = here();
    }
    std::ranges::sort(keys, {}, [](const auto& k) { return k.frame; });
  };
  for (LocalPlace& p : places) {
    inside(p.values.keys);
    for (MaskShape& shape : p.shapes) inside(shape.values.keys), inside(shape.painted);
  }
  const int last = static_cast<int>(document_.decisions().places.size() + places.size()) - 1;
  edit_all(
      tr("Paste a place"),
      [&](std::vector<LocalPlace>& all) { all.insert(all.end(), places.begin(), places.end()); },
      last);
}

void PlaceWork::copy_mask() {
  const LocalPlace* p = place();
  if (!p) return;
  mask_ = CopiedMask{p->shapes, p->invert, p->tones, p->hues};
  emit notices_.message(tr("The mask of %1 is copied.").arg(QString::fromStdString(p->name)));
  emit changed();
}

void PlaceWork::paste_mask(bool inverted) {
  if (!mask_) return;
  edit(inverted ? tr("Paste the mask turned over") : tr("Paste the mask"), [&](LocalPlace& p) {
    p.shapes = mask_->shapes;
    p.invert = mask_->invert != inverted;
    p.tones = mask_->tones;
    p.hues = mask_->hues;
  });
}

void PlaceWork::set_veil(bool on) {
  if (std::exchange(veil_, on) == on) return;
  ++serial_;
  emit changed();
}

}  // namespace tsukimi::app
