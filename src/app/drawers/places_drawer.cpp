// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/places_drawer.h"

#include <QMenu>

#include "app/convert/value_text.h"
#include "app/widgets/style.h"
#include "app/widgets/tabs.h"

namespace tsukimi::app {
namespace {

constexpr ShapeKind kKinds[] = {ShapeKind::graduated, ShapeKind::ellipse, ShapeKind::painted};

QString how_words(Combine how) {
  return how == Combine::add    ? PlacesDrawer::tr("adds")
         : how == Combine::take ? PlacesDrawer::tr("takes away")
                                : PlacesDrawer::tr("cuts");
}

}  // namespace

PlacesDrawer::PlacesDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Places"), session, parent) {
  column_->setSpacing(6);
  add_list();
  none_ = words("body");
  none_->setText(
      tr("A place is a part of the picture with adjustments of its own, on every frame: a sky held "
         "down, a foreground lifted, a lamp made softer. Its shape and its values run from key "
         "frame to key frame.\n\nTo brighten or darken by hand, paint a place."));
  body_ = new QWidget;
  auto* whole = column_;
  whole->addWidget(body_, 1);
  whole->addStretch(0);  // without a place all stands at the top
  column_ = new QVBoxLayout(body_);
  column_->setContentsMargins(0, 0, 0, 0);
  column_->setSpacing(5);
  add_keys();
  auto* tabs = new QHBoxLayout;
  tabs->setSpacing(0);
  column_->addLayout(tabs);
  pages_ = new QStackedWidget;
  column_->addWidget(pages_);
  add_mask_page();
  for (const char* page : place_pages()) add_rulers(add_page(page, words_of(page)), page);
  for (auto* t : tabs_) tabs->addWidget(t, 1);
  auto* below = new QVBoxLayout;
  column_->addLayout(below);
  add_rulers(below, "");
  column_->addStretch(1);
  column_ = whole;
  connect(&places(), &PlaceWork::changed, this, [this] {
    if (isVisible()) refresh();
  });
  open_page(0);
}

void PlacesDrawer::add_list() {
  auto* row = line();
  row->setSpacing(4);
  for (ShapeKind kind : kKinds) {
    auto* b = button(
        words_of(kind), QString("add_%1").arg(kShapeKinds[kind].name),
        kind == ShapeKind::graduated ? tr("A new place along two lines: drag from where it is "
                                          "whole to where it ends")
        : kind == ShapeKind::ellipse ? tr("A new place round a middle: drag from there")
                                     : tr("A new place painted with a brush: brightens or darkens "
                                          "by hand"));
    b->setStyleSheet("padding: 5px 0px");
    share_width(b);
    row->addWidget(b, 1);
    connect(b, &QPushButton::clicked, this, [this, kind] {
      places().add(kind);
      open_page(0);
    });
  }
  more_ = button("…", "places_more", tr("Duplicate, order, copy, paste, remove"));
  more_->setAccessibleName(tr("More about places"));
  more_->setFixedWidth(30);
  row->addWidget(more_);
  connect(more_, &QPushButton::clicked, this, &PlacesDrawer::show_menu);
  list_ = list("places", text_px(76));
  list_->setAccessibleName(tr("Places"));
  list_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
  connect(list_, &QListWidget::currentRowChanged, this, [this](int i) {
    if (i >= 0) places().choose(i);
  });
  connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
    const int i = list_->row(item);
    const auto& all = session_.document.decisions().places;
    if (i < 0 || i >= std::ssize(all)) return;
    const bool on = item->checkState() == Qt::Checked;
    if (on != all[static_cast<std::size_t>(i)].on) return places().set_on(i, on);
    places().rename(i, item->text());
  });
}

void PlacesDrawer::add_keys() {
  keys_ =
      new KeyRow(session_, "place_key", tr("Make or remove a key frame of this place here (K)"));
  column_->addWidget(keys_);
}

QVBoxLayout* PlacesDrawer::add_page(const QString& name, const QString& shown) {
  auto* layout = app::add_page(pages_, tabs_, "place_page_" + name.toLower(), shown);
  const int index = static_cast<int>(tabs_.size()) - 1;
  connect(tabs_.back(), &QToolButton::clicked, this, [this, index] { open_page(index); });
  return layout;
}

void PlacesDrawer::open_page(int page) {
  show_page(pages_, tabs_, page);
  if (isVisible()) refresh();
}

void PlacesDrawer::add_rulers(QVBoxLayout* page, const char* name) {
  for (const auto& row : kPlace.rows()) {
    if (std::string_view(row.place.page) != name) continue;
    auto* ruler = new KeyedRuler(session_, row.id,
                                 [this, id = row.id] { return Setting(id, places().chosen()); });
    ruler->setObjectName(QString("place_") + row.name);
    page->addWidget(ruler);
    rulers_.push_back(ruler);
  }
}

void PlacesDrawer::add_mask_page() {
  auto* page = add_page("mask", tr("Mask"));
  page->setSpacing(6);
  auto* outer = std::exchange(column_, page);
  auto* row = line();
  veil_ = new QCheckBox(tr("Show the mask"));
  veil_->setObjectName("veil");
  veil_->setToolTip(tr("A veil over the picture where the place works (V)"));
  invert_ = new QCheckBox(tr("Turned over"));
  invert_->setObjectName("invert");
  invert_->setToolTip(tr("The place works where its mask is not"));
  row->addWidget(veil_);
  row->addWidget(invert_);
  connect(veil_, &QCheckBox::clicked, &places(), &PlaceWork::set_veil);
  connect(invert_, &QCheckBox::clicked, &places(), &PlaceWork::set_invert);
  follow_ = new QCheckBox(tr("Follow the picture"));
  follow_->setObjectName("follow");
  follow_->setToolTip(tr("It goes with what it lies on where the camera moved"));
  connect(follow_, &QCheckBox::clicked, &places(), &PlaceWork::set_follow);
  follow_stars_ = new QCheckBox(tr("the stars"));
  follow_stars_->setObjectName("follow_stars");
  follow_stars_->setAccessibleName(tr("Follow the stars"));
  follow_stars_->setToolTip(tr("It goes with the stars as the sky turns"));
  connect(follow_stars_, &QCheckBox::clicked, this, [this](bool on) {
    const auto chosen = static_cast<std::size_t>(places().chosen());
    session_.document.edit(tr("Follow the stars"), [&](Shoot& s) {
      s.decisions.places[chosen].follow = on ? Follow::stars : Follow::nothing;
    });
  });
  row = line();
  row->addWidget(follow_, 1);
  row->addWidget(follow_stars_);
  drawing_ = words();
  drawing_->setText(tr("Drag on the picture: it is drawn there."));
  heading(tr("Shapes"));
  shapes_ = list("shapes", text_px(62));
  connect(shapes_, &QListWidget::currentRowChanged, this, [this](int i) {
    if (i >= 0) places().choose_shape(i);
  });
  row = line();
  auto* add = button(tr("Another …"), "add_shape", tr("Another shape of this place"));
  how_ = field<QComboBox>("how", tr("What the shape does to those before it"),
                          tr("It adds itself to them, takes itself away, or cuts them to itself"));
  for (Combine how : {Combine::add, Combine::take, Combine::cut}) how_->addItem(how_words(how));
  remove_shape_ = button(tr("Remove"), "remove_shape", tr("Takes this shape out of the mask"));
  for (QWidget* w : std::initializer_list<QWidget*>{add, how_, remove_shape_}) {
    share_width(w);
    row->addWidget(w, 1);
  }
  for (auto* b : {add, remove_shape_}) b->setStyleSheet("padding: 5px 0px");
  auto* menu = new QMenu(add);
  menu->setObjectName("shape_menu");
  for (Combine how : {Combine::add, Combine::take, Combine::cut})
    for (ShapeKind kind : kKinds)
      connect(menu->addAction(QString("%1, %2").arg(words_of(kind), how_words(how))),
              &QAction::triggered, this, [this, kind, how] { places().add_shape(kind, how); });
  connect(add, &QPushButton::clicked, this,
          [add, menu] { menu->popup(add->mapToGlobal(QPoint(0, add->height()))); });
  connect(how_, &QComboBox::activated, this,
          [this](int i) { places().set_how(static_cast<Combine>(i)); });
  connect(remove_shape_, &QPushButton::clicked, &places(), &PlaceWork::remove_shape);
  add_brush(page);
  add_ranges(page);
  column_ = outer;
}

void PlacesDrawer::add_brush(QVBoxLayout* page) {
  brush_ = new QWidget;
  auto* column = new QVBoxLayout(brush_);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(0);
  auto ruler = [&](Ruler::Spec spec, double value, const std::function<void(double)>& set) {
    auto* r = new Ruler(std::move(spec));
    r->set_value(value);
    column->addWidget(r);
    connect(r, &Ruler::edited, this, [this, r, set](double v, int) {
      set(v);
      r->set_value(v);
      emit places().changed();
    });
    return r;
  };
  auto& brush = places().brush;
  radius_ = ruler({"brush_radius", tr("Brush"), "%", tr("Its radius, of the frame's width"), 0.1,
                   40, 4, 0.25, 2},
                  100 * brush.radius, [&brush](double v) { brush.radius = v / 100; });
  softness_ =
      ruler({"brush_softness", tr("Softness"), "", tr("How much of it fades"), 0, 100, 60, 5, 0},
            brush.softness, [&brush](double v) { brush.softness = v; });
  flow_ = ruler({"brush_flow", tr("Flow"), "", tr("How much one stroke adds"), 1, 100, 100, 5, 0},
                brush.flow, [&brush](double v) { brush.flow = v; });
  auto check = [&](const QString& text, const char* name, const QString& tip, bool& what) {
    auto* box = new QCheckBox(text);
    box->setObjectName(name);
    box->setToolTip(tip);
    column->addWidget(box);
    connect(box, &QCheckBox::clicked, this, [this, &what](bool on) {
      what = on;
      emit places().changed();
    });
    return box;
  };
  erase_ =
      check(tr("Erase (Ctrl turns it about)"), "erase", tr("A stroke takes away"), brush.erase);
  column->addSpacing(4);
  edges_ = check(tr("Follow edges"), "edges",
                 tr("A stroke ends where its key frame's picture has an edge"), brush.edges);
  page->addWidget(brush_);
}

void PlacesDrawer::add_ranges(QVBoxLayout*) {
  auto range = [&](const QString& title, const char* name, QSpinBox** boxes, int most, int most_to,
                   const std::function<void(const Limit&)>& set) {
    heading(title);
    auto* row = line();
    const QString words[] = {tr("from"), tr("to"), tr("soft")};
    for (int i = 0; i < 3; ++i) {
      boxes[i] = field<QSpinBox>("", title + ", " + words[i]);
      boxes[i]->setObjectName(QString("%1_%2").arg(name).arg(i));
      boxes[i]->setRange(0, i == 1 ? most_to : most);
      boxes[i]->setPrefix(words[i] + " ");
      share_width(boxes[i]);
      row->addWidget(boxes[i], 1);
      connect(boxes[i], &QSpinBox::valueChanged, this, [boxes, set] {
        const double from = boxes[0]->value();
        set({from, std::max<double>(from, boxes[1]->value()),
             static_cast<double>(boxes[2]->value())});
      });
    }
  };
  range(tr("Only these tones"), "tones", tones_, 100, 100,
        [this](const Limit& l) { places().set_tones(l); });
  range(tr("Only these hues"), "hues", hues_, 360, 720, [this](const Limit& l) {
    places().set_hues({l.from, std::min(l.to, l.from + 360), l.soft});
  });
}

void PlacesDrawer::show_menu() {
  auto* menu = new QMenu(this);
  menu->setObjectName("places_menu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  const bool any = places().place();
  auto add = [&](const QString& text, bool possible, const std::function<void()>& run) {
    auto* action = menu->addAction(text);
    action->setEnabled(possible);
    connect(action, &QAction::triggered, this, run);
  };
  auto& p = places();
  add(tr("Duplicate"), any, [&p] { p.duplicate(); });
  add(tr("Earlier"), any && p.chosen() > 0, [&p] { p.move(-1); });
  add(tr("Later"), any && p.chosen() + 1 < list_->count(), [&p] { p.move(1); });
  menu->addSeparator();
  add(tr("Copy place"), any, [&p] { p.copy(); });
  add(tr("Paste place"), p.can_paste(), [&p] { p.paste(); });
  add(tr("Copy mask"), any, [&p] { p.copy_mask(); });
  add(tr("Paste mask"), any && p.has_mask(), [&p] { p.paste_mask(false); });
  add(tr("Paste mask turned over"), any && p.has_mask(), [&p] { p.paste_mask(true); });
  menu->addSeparator();
  add(tr("Remove"), any, [&p] { p.remove(); });
  menu->popup(more_->mapToGlobal(QPoint(0, more_->height())));
}

void PlacesDrawer::showEvent(QShowEvent* e) {
  places().set_working(true);
  Drawer::showEvent(e);
}

void PlacesDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const bool any = places().place();
  none_->setVisible(!any);
  list_->setVisible(any);
  body_->setVisible(any);
  show_list();
  if (!any) return;
  keys_->refresh(true);
  show_mask();
  show_values();
}

void PlacesDrawer::show_list() {
  const QSignalBlocker quiet(list_);
  const auto& all = session_.document.decisions().places;
  while (list_->count() > std::ssize(all)) delete list_->takeItem(list_->count() - 1);
  while (list_->count() < std::ssize(all)) {
    auto* item = new QListWidgetItem(list_);
    item->setFlags(item->flags() | Qt::ItemIsEditable | Qt::ItemIsUserCheckable);
    item->setToolTip(tr("Double click: another name. The box: on or off."));
  }
  for (int i = 0; i < list_->count(); ++i) {
    const LocalPlace& p = all[static_cast<std::size_t>(i)];
    list_->item(i)->setText(QString::fromStdString(p.name));
    list_->item(i)->setCheckState(p.on ? Qt::Checked : Qt::Unchecked);
  }
  list_->setCurrentRow(places().chosen());
}

void PlacesDrawer::show_mask() {
  const LocalPlace& p = *places().place();
  veil_->setChecked(places().veil());
  invert_->setChecked(p.invert);
  follow_->setChecked(p.follow == Follow::picture);
  follow_stars_->setChecked(p.follow == Follow::stars);
  drawing_->setVisible(places().drawing());
  const QSignalBlocker quiet(shapes_);
  shapes_->clear();
  for (const MaskShape& s : p.shapes)
    shapes_->addItem(shapes_->count() == 0 && s.how == Combine::add
                         ? words_of(s.kind)
                         : QString("%1, %2").arg(words_of(s.kind), how_words(s.how)));
  shapes_->setCurrentRow(places().shape());
  const MaskShape* shape = places().chosen_shape();
  how_->setEnabled(shape);
  remove_shape_->setEnabled(shape);
  if (shape) how_->setCurrentIndex(static_cast<int>(shape->how));
  brush_->setVisible(shape && shape->kind == ShapeKind::painted);
  erase_->setChecked(places().brush.erase);
  edges_->setChecked(places().brush.edges);
  auto show = [](QSpinBox* const* boxes, const Limit& l) {
    const double values[] = {l.from, l.to, l.soft};
    for (int i = 0; i < 3; ++i) set_quietly(boxes[i], static_cast<int>(std::lround(values[i])));
  };
  show(tones_, p.tones);
  show(hues_, p.hues);
}

void PlacesDrawer::show_values() {
  const Course& course =
      session_.document.courses().places[static_cast<std::size_t>(places().chosen())].values();
  const auto& keys = places().place()->values.keys;
  std::vector<std::pair<int, Easing>> eased;
  for (const KeyFrame& k : keys)
    eased.emplace_back(session_.document.shoot().sequence.place_of(k.frame), k.easing);
  std::ranges::sort(eased, {}, [](const auto& k) { return k.first; });
  const std::pair<quint64, int> now{session_.document.version(), places().chosen()};
  for (KeyedRuler* ruler : rulers_)
    if (ruler->isVisible()) ruler->show(course, eased, std::exchange(courses_[ruler], now) != now);
  const auto names = place_pages();
  for (std::size_t i = 0; i < names.size(); ++i)
    mark_tab(tabs_[i + 1], std::ranges::any_of(kPlace.rows(), [&](const ParameterInfo& row) {
               return std::string_view(row.place.page) == names[i] &&
                      std::ranges::any_of(keys,
                                          [&](const KeyFrame& k) { return k.values[row.id] != 0; });
             }));
}

}  // namespace tsukimi::app
