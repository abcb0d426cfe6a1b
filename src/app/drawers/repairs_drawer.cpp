// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/repairs_drawer.h"

#include <cmath>

#include "app/widgets/style.h"
#include "base/overloaded.h"
#include "document/values.h"

namespace tsukimi::app {
namespace {

// Dark is dust, as it is on the sensor.
QImage picture_of(const DustMap& map, int width) {
  const Plane& stops = map.stops;
  QImage out(stops.width, stops.height, QImage::Format_Grayscale8);
  for (int y = 0; y < stops.height; ++y)
    for (int x = 0; x < stops.width; ++x)
      out.scanLine(y)[x] = static_cast<uchar>(std::clamp(150 + 420 * stops.at(x, y), 0.0f, 255.0f));
  return out.scaledToWidth(width, Qt::SmoothTransformation).convertToFormat(QImage::Format_RGB32);
}

}  // namespace

RepairsDrawer::RepairsDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Repairs"), session, parent),
      tool_(session.repairs, session.document, session.playhead) {
  column_->setSpacing(6);
  add_new();
  list_ = list("repairs", text_px(112));
  list_->setAccessibleName(tr("Repairs"));
  connect(list_, &QListWidget::currentRowChanged, this, [this](int i) {
    if (i >= 0) repairs().choose(i);
  });
  connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
    const int i = list_->row(item);
    const auto& all = session_.document.decisions().repairs;
    const bool on = item->checkState() == Qt::Checked;
    if (i >= 0 && i < std::ssize(all) && on != all[static_cast<std::size_t>(i)].on)
      repairs().set_on(i, on);
  });
  auto* row = line();
  hidden_ = new QCheckBox(tr("Without repairs"));
  hidden_->setObjectName("without_repairs");
  hidden_->setToolTip(tr("The picture as it is before anything is mended"));
  remove_ = button(tr("Remove"), "remove_repair", tr("Takes the chosen repair away"));
  row->addWidget(hidden_, 1);
  row->addWidget(remove_);
  connect(hidden_, &QCheckBox::clicked, &repairs(), &RepairWork::set_hidden);
  connect(remove_, &QPushButton::clicked, &repairs(), &RepairWork::remove);
  about_ = words();
  add_area_fields();
  add_spot_fields();
  map_ = new QLabel;
  map_->setObjectName("dust_map");
  map_->setAccessibleName(tr("Where dust was found"));
  map_->setToolTip(
      tr("Light against its surroundings, the middle of all frames: what is dark in "
         "every one of them is dust"));
  column_->addWidget(map_);
  column_->addStretch(1);
  heading(tr("Hot pixels"));
  hot_words_ = words();
  hot_ = new KeyedRuler(session_, Param::hot_pixels, [] { return Setting(Param::hot_pixels); });
  hot_->setObjectName("repairs_hot_pixels");
  column_->addWidget(hot_);
  auto* hint = words();
  hint->setText(tr("To brighten or darken by hand on all frames, paint a place."));
  connect(&repairs(), &RepairWork::changed, this, [this] {
    if (isVisible()) refresh();
  });
}

void RepairsDrawer::add_new() {
  auto* row = line();
  row->setSpacing(4);
  spot_ = button(tr("Spot"), "new_spot", tr("A click on the picture covers a spot"));
  area_ = button(tr("Area"), "new_area", tr("Draw round something on the picture"));
  dust_ = button(tr("Find dust"), "find_dust", tr("Looks for dust in all frames and takes it out"));
  for (auto* b : {spot_, area_, dust_}) {
    b->setStyleSheet("padding: 5px 0px");
    share_width(b);
    row->addWidget(b, 1);
  }
  for (auto* b : {spot_, area_}) b->setCheckable(true);
  connect(spot_, &QPushButton::clicked, this, [this] {
    repairs().makes = RepairWork::New::spot;
    refresh();
  });
  connect(area_, &QPushButton::clicked, this, [this] {
    repairs().makes = RepairWork::New::area;
    refresh();
  });
  connect(dust_, &QPushButton::clicked, &repairs(), &RepairWork::find_dust);
  doing_ = words();
  radius_ = new Ruler(
      {"spot_radius", tr("Radius"), "%", tr("Of the frame's width"), 0.1, 20, 1.2, 0.1, 2});
  column_->addWidget(radius_);
  connect(radius_, &Ruler::edited, this, [this](double v, int drag) {
    const Repair* r = repairs().repair();
    if (r && r->spot())
      repairs().set_spot({{Param::spot_radius, v / 100}}, QString("radius %1").arg(drag));
    repairs().radius = v / 100;
    refresh();
  });
}

void RepairsDrawer::add_area_fields() {
  fields_ = new QWidget;
  auto* outer = std::exchange(column_, new QVBoxLayout(fields_));
  column_->setContentsMargins(0, 0, 0, 0);
  column_->setSpacing(6);
  fill_ =
      field<QComboBox>("fill", tr("What covers the area"),
                       tr("What lies round it, a place that you choose, or the frames before and "
                          "after, where it was not"));
  fill_->addItems({tr("from around, found by itself"), tr("from a place that is dragged"),
                   tr("from time, before and after")});
  column_->addWidget(fill_);
  auto* row = line();
  const QString names[] = {tr("from"), tr("to"), tr("soft")};
  QSpinBox** boxes[] = {&first_, &last_, &fade_};
  for (int i = 0; i < 3; ++i) {
    *boxes[i] = field<QSpinBox>("", tr("Frames of the area, %1").arg(names[i]));
    (*boxes[i])->setPrefix(names[i] + " ");
    share_width(*boxes[i]);
    row->addWidget(*boxes[i], 1);
  }
  first_->setObjectName("area_first");
  last_->setObjectName("area_last");
  fade_->setObjectName("area_fade");
  fade_->setRange(0, 1000);
  connect(fill_, &QComboBox::activated, this,
          [this](int i) { repairs().set_fill(static_cast<FillFrom>(i)); });
  auto frames = [this] { repairs().set_frames(first_->value() - 1, last_->value() - 1); };
  connect(first_, &QSpinBox::valueChanged, this, frames);
  connect(last_, &QSpinBox::valueChanged, this, frames);
  connect(fade_, &QSpinBox::valueChanged, &repairs(), &RepairWork::set_fade);
  column_ = outer;
  column_->addWidget(fields_);
}

void RepairsDrawer::add_spot_fields() {
  keyed_ = check(tr("It moves over key frames"), "repair_moves",
                 tr("Else it stands still, as dust does"));
  connect(keyed_, &QCheckBox::clicked, &repairs(), &RepairWork::set_keyed);
}

QString RepairsDrawer::words_for(const Repair& r) const {
  return std::visit(
      Overloaded{[](const SpotRepair& spot) {
                   return spot.is_keyed() ? tr("Spot that moves") : tr("Spot");
                 },
                 [](const DustRepair& dust) {
                   return tr("Dust, %1 %").arg(std::lround(100 * dust.shadows.front().strength));
                 },
                 [this](const AreaRepair& area) {
                   const QString text = area.is_from_time() ? tr("Area, from time") : tr("Area");
                   if (area.first == FrameId::none) return text;
                   const Sequence& s = session_.document.shoot().sequence;
                   return text + tr(", frames %1 to %2")
                                     .arg(s.place_of(area.first) + 1)
                                     .arg(s.place_of(area.last) + 1);
                 }},
      r.what);
}

void RepairsDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const Repair* chosen = repairs().repair();
  const bool spots = repairs().makes == RepairWork::New::spot;
  spot_->setChecked(spots);
  area_->setChecked(!spots);
  for (auto* b : {spot_, area_, dust_}) b->setEnabled(!repairs().looking());
  doing_->setText(repairs().looking() ? tr("Looking through the frames …")
                  : spots ? tr("Click on the picture: what covers the spot is found by itself.")
                          : tr("Draw round what is to go."));
  const bool of_spot = chosen && chosen->spot();
  radius_->setVisible(of_spot || spots);
  radius_->set_value(
      100 * (of_spot ? course_of(session_.document.shoot(), KeyTarget{kSpot, repairs().chosen(), 0})
                           .at(Param::spot_radius, session_.playhead.frame())
                     : repairs().radius));
  show_list();
  hidden_->setChecked(repairs().hidden());
  remove_->setEnabled(chosen);
  show_chosen(chosen);
  show_map();
  show_hot_pixels();
}

void RepairsDrawer::show_list() {
  const QSignalBlocker quiet(list_);
  const auto& all = session_.document.decisions().repairs;
  while (list_->count() > std::ssize(all)) delete list_->takeItem(list_->count() - 1);
  while (list_->count() < std::ssize(all)) {
    auto* item = new QListWidgetItem(list_);
    item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
  }
  for (int i = 0; i < list_->count(); ++i) {
    const Repair& r = all[static_cast<std::size_t>(i)];
    list_->item(i)->setText(words_for(r));
    list_->item(i)->setCheckState(r.on ? Qt::Checked : Qt::Unchecked);
  }
  list_->setCurrentRow(repairs().chosen());
}

void RepairsDrawer::show_chosen(const Repair* r) {
  const auto& all = session_.document.decisions().repairs;
  const auto on = std::ranges::count_if(all, &Repair::on);
  about_->setText(all.empty() ? tr("Nothing is mended yet.")
                              : tr("%1 of %2 are on, on every frame unless they say otherwise.")
                                    .arg(on)
                                    .arg(all.size()));
  const AreaRepair* area = r ? r->area() : nullptr;
  const SpotRepair* spot = r ? r->spot() : nullptr;
  fields_->setVisible(area);
  keyed_->setVisible(spot);
  if (spot) keyed_->setChecked(spot->is_keyed());
  if (!area) return;
  fill_->setCurrentIndex(static_cast<int>(area->fill));
  const Sequence& s = session_.document.shoot().sequence;
  const int count = session_.document.shoot().frame_count();
  const QSignalBlocker quiet_first(first_), quiet_last(last_), quiet_fade(fade_);
  for (QSpinBox* box : {first_, last_}) box->setRange(1, count);
  first_->setValue(area->first == FrameId::none ? 1 : s.place_of(area->first) + 1);
  last_->setValue(area->last == FrameId::none ? count : s.place_of(area->last) + 1);
  fade_->setValue(area->fade);
}

void RepairsDrawer::show_map() {
  const auto& map = repairs().map();
  map_->setVisible(map && map->stops.width > 0);
  if (!map || map->stops.width == 0 || shown_map_ == map) return;
  shown_map_ = map;
  QImage image = picture_of(*map, text_px(254));
  QPainter p(&image);
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(colour::coral, 1.4));
  for (const DustSpot& d : map->spots) {
    const double r = std::max(5.0, 2.4 * d.radius() * image.width());
    p.drawEllipse(QPointF(d.at.x * image.width(), d.at.y * image.height()), r, r);
  }
  p.end();
  map_->setPixmap(QPixmap::fromImage(image));
}

void RepairsDrawer::show_hot_pixels() {
  const Course& course = session_.document.course();
  std::vector<std::pair<int, Easing>> keys;
  for (int k : key_places(session_.document.shoot()))
    keys.emplace_back(k, easing_at(session_.document.shoot(), k));
  const quint64 version = session_.document.version();
  hot_->show(course, keys, std::exchange(shown_version_, version) != version);
  const auto& hot = session_.document.shoot().hot_pixels;
  const float limit = hot_limit(course.at(Param::hot_pixels, session_.playhead.frame()));
  hot_words_->setText(!hot ? tr("Looked for when they are to be mended.")
                           : tr("%1 of %2 that glow are mended.")
                                 .arg(std::ranges::count_if(
                                     *hot, [&](const HotPixel& p) { return p.strength >= limit; }))
                                 .arg(hot->size()));
}

}  // namespace tsukimi::app
