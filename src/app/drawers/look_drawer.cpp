// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/look_drawer.h"

#include <QApplication>
#include <QButtonGroup>
#include <QClipboard>
#include <QHBoxLayout>
#include <QMenu>

#include "app/convert/value_text.h"
#include "app/drawers/curve_view.h"
#include "app/drawers/histogram_view.h"
#include "app/drawers/ring_view.h"
#include "app/drawers/tone_wedge.h"
#include "app/widgets/style.h"
#include "app/widgets/tabs.h"

namespace tsukimi::app {

// Which of a tone curve's numbers it is (adjust/parameters.h); -1: none.
static int number_in_curve(Param p) {
  const int number = static_cast<int>(p) - static_cast<int>(Param::tone_curve);
  return number >= 0 && p < Param::place_exposure ? number % kCurveNumbers : -1;
}

// Buttons of which one is down, in a row.
static QButtonGroup* choice(QVBoxLayout* page, const QString& name, const QStringList& texts) {
  auto* group = new QButtonGroup(page);
  auto* row = new QHBoxLayout;
  row->setSpacing(2);
  for (const QString& text : texts) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setObjectName(QString("%1_%2").arg(name).arg(row->count()));
    b->setCheckable(true);
    b->setChecked(row->count() == 0);
    make_narrow(b);
    group->addButton(b, row->count());
    row->addWidget(b);
  }
  page->addLayout(row);
  return group;
}

LookDrawer::LookDrawer(Session& session, Preview& preview, PictureView& picture, QWidget* parent)
    : Drawer(tr("Look"), session, parent), preview_(preview), picture_(picture) {
  column_->setSpacing(5);
  keys_ = new KeyRow(session_, "key", tr("Make or remove a key frame here (K)"));
  column_->addWidget(keys_);
  whole_ = check(tr("Move all key frames"), "move_all",
                 tr("A ruler moves its value at every key frame by the same amount"));
  where_ = words();
  where_->setWordWrap(false);
  where_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
  auto* place = new QHBoxLayout;  // one line for both
  place->addWidget(whole_);
  place->addWidget(where_, 1);
  column_->addLayout(place);
  connect(whole_, &QCheckBox::toggled, this, [this](bool on) {
    session_.look.move_all = on;
    refresh();
  });

  auto* tabs = new QHBoxLayout;
  tabs->setSpacing(0);
  pages_ = new QStackedWidget;
  column_->addLayout(tabs);
  column_->addWidget(pages_);
  for (const char* page : look_pages()) fill_page(page);
  for (auto* t : tabs_) tabs->addWidget(t, 1);

  auto* copy = button(tr("Copy look"), "copy_look", tr("Remember the look of this frame (Ctrl+C)"));
  paste_ =
      button(tr("Paste look"), "paste_look", tr("Put the copied look onto this frame (Ctrl+V)"));
  auto* start = button(tr("Propose look"), "propose_look",
                       tr("A start from this picture: plain values that can be changed"));
  propose_ =
      button(tr("Propose key frames"), "propose_keys",
             tr("Both ends, where the light bends and where lamps begin to show: see first"));
  carry_ = button(tr("Carry …"), "carry_look", tr("Chosen parts of a look onto chosen key frames"));
  auto* looks =
      button(tr("Saved looks …"), "saved_looks", tr("Looks kept under a name; keep this one"));
  column_->addStretch(1);
  for (auto [left, right] : {std::pair{copy, paste_}, {carry_, looks}, {start, propose_}}) {
    auto* pair = new QHBoxLayout;
    pair->setSpacing(5);
    for (auto* b : {left, right}) {
      b->setStyleSheet("padding: 5px 0px");  // words side by side
      b->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
    }
    pair->addWidget(left, 1);
    pair->addWidget(right, 1);
    column_->addLayout(pair);
  }
  connect(copy, &QPushButton::clicked, this, [this] {
    session_.look.copy();
    refresh();
  });
  connect(paste_, &QPushButton::clicked, &session_.look, &LookWork::paste);
  connect(start, &QPushButton::clicked, &session_.look, &LookWork::propose);
  connect(propose_, &QPushButton::clicked, this, [this] { emit panel_wanted(kPropose); });
  connect(carry_, &QPushButton::clicked, this, [this] { emit panel_wanted(kCarry); });
  connect(looks, &QPushButton::clicked, this, [this] { emit panel_wanted(kLooks); });
  show_picked();
  open_page(0);
}

QVBoxLayout* LookDrawer::add_page(const QString& name, const QString& shown) {
  auto* layout = app::add_page(pages_, tabs_, "page_" + name.toLower(), shown);
  const int index = static_cast<int>(tabs_.size()) - 1;
  connect(tabs_.back(), &QToolButton::clicked, this, [this, index] { open_page(index); });
  return layout;
}

void LookDrawer::open_page(int page) {
  show_page(pages_, tabs_, page);
  if (isVisible()) refresh();
}

void LookDrawer::add_ruler(QBoxLayout* page, Param id, const QString& label) {
  auto* ruler = new KeyedRuler(
      session_, id, [id] { return Setting(id); }, label);
  page->addWidget(ruler, 1);
  rulers_.emplace_back(id, ruler);
  connect(ruler, &Ruler::menu_wanted, this, [this, id](QPoint at) { show_menu(id, at); });
}

// The rows of the table that stand on it; some groups have a view of their own on top.
void LookDrawer::fill_page(const char* page) {
  auto* layout = add_page(page, words_of(page));
  QHBoxLayout* point = nullptr;  // both numbers of a curve's point beside each other
  std::string_view group;
  for (const auto& row : kLook.rows()) {
    if (std::string_view(row.place.page) != page) continue;
    if (std::exchange(group, row.place.group) != row.place.group) {
      if (group == info(Param::shadow_hue).place.group) add_ring(layout);
      if (group == info(Param::tone_curve).place.group) add_curves(layout);
    }
    const int number = number_in_curve(row.id);
    if (number % 2 == 1 && number < kCurveNumbers - 1) {
      point = new QHBoxLayout;
      point->setSpacing(8);
      layout->addLayout(point);
    }
    if (number > 0 && number < kCurveNumbers - 1)
      add_ruler(point, row.id, number % 2 == 1 ? tr("In") : tr("Out"));
    else
      add_ruler(layout, row.id);
    if (row.id == Param::haze) add_air(layout);
  }
  if (std::string_view(page) == info(Param::exposure).place.page) add_histogram(layout);
}

void LookDrawer::add_air(QVBoxLayout* page) {
  air_ = button(
      tr("Measure the air here"), "measure_air",
      tr("The colour of the haze, kept with this key frame; measured by itself when haze begins"));
  page->addWidget(air_);
  connect(air_, &QPushButton::clicked, &session_.look, &LookWork::measure_air);
}

void LookDrawer::add_histogram(QVBoxLayout* page) {
  page->addSpacing(14);
  auto* group = choice(page, "tones", {tr("As shown"), tr("Sensor stops")});
  auto* view = new HistogramView(preview_, picture_);
  page->addWidget(view);
  connect(group, &QButtonGroup::idClicked, view, &HistogramView::set_sensor);
}

void LookDrawer::add_ring(QVBoxLayout* page) {
  ring_ = new RingView(session_);
  page->addWidget(ring_);
  connect(ring_, &RingView::picked, this, &LookDrawer::show_picked);
  connect(ring_, &RingView::dragged, this, [this](Param p, double v, int drag) {
    session_.look.set_value(p, v, tr("ring %1").arg(drag));
  });
}

void LookDrawer::add_curves(QVBoxLayout* page) {
  auto* group = choice(page, "channel", {tr("All"), tr("Red"), tr("Green"), tr("Blue")});
  curve_ = new CurveView(session_, preview_, picture_);
  page->addWidget(curve_);
  connect(group, &QButtonGroup::idClicked, curve_, &CurveView::set_curve);
  connect(curve_, &CurveView::picked, this, &LookDrawer::show_picked);
  connect(curve_, &CurveView::dragged, this, [this](Param p, double v, int drag) {
    // Across and up are one drag, one undo.
    session_.look.set_value(p, v, tr("curve %1").arg(drag));
  });
}

void LookDrawer::show_picked() {
  const int point = curve_->point(), last = kCurvePoints + 1;
  for (auto& [id, ruler] : rulers_) {
    const int ring = static_cast<int>(id) - static_cast<int>(Param::hue_ring),
              curve = static_cast<int>(id) - static_cast<int>(Param::tone_curve);
    const bool shadows = id == Param::shadow_hue || id == Param::shadow_strength,
               highlights = id == Param::highlight_hue || id == Param::highlight_strength;
    if (shadows || highlights || id == Param::split_balance) {
      ruler->setVisible((!highlights && ring_->point() == RingView::kShadows) ||
                        (!shadows && ring_->point() == RingView::kHighlights));
    } else if (curve >= 0) {
      const int number = curve % kCurveNumbers;
      const int of = number == 0 ? 0 : number == kCurveNumbers - 1 ? last : (number + 1) / 2;
      ruler->setVisible(curve / kCurveNumbers == curve_->curve() && of == point);
    } else if (ring >= 0) {
      ruler->setVisible(ring / kRingNumbers == ring_->point());
    }
  }
  if (isVisible()) refresh();
}

void LookDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const int frame = session_.playhead.frame();
  const auto keys = key_places(session_.document.shoot());
  const int count = static_cast<int>(keys.size());
  const auto here = std::ranges::find(keys, frame);
  const int key = here == keys.end() ? -1 : static_cast<int>(here - keys.begin());
  if (count == 0)
    where_->setText(tr("none yet"));
  else if (session_.look.move_all)
    where_->setText(tr("moves %1").arg(count));
  else if (key >= 0)
    where_->setText(tr("key %1 of %2").arg(key + 1).arg(count));
  else
    where_->setText(tr("between keys"));
  where_->setToolTip(count == 0               ? tr("Every frame looks as the camera shot it.")
                     : key >= 0               ? ""
                     : session_.look.move_all ? tr("A ruler moves all key frames.")
                                              : tr("Moving a ruler makes a key frame here."));
  keys_->refresh();
  paste_->setEnabled(session_.look.has_copied());
  propose_->setEnabled(session_.light.known());
  const auto& course = session_.document.course();
  mark_tabs();
  air_->setVisible(course.at(Param::haze, frame) != 0);
  curve_->update();
  ring_->update();
  std::vector<std::pair<int, Easing>> eased;
  for (int k : keys) eased.emplace_back(k, easing_at(session_.document.shoot(), k));
  for (auto& [id, ruler] : rulers_) {
    if (!ruler->isVisible()) continue;
    // A step of the playhead changes no course.
    const quint64 version = session_.document.version();
    ruler->set_preset(session_.look.preset(id));
    ruler->show(course, eased, std::exchange(courses_[ruler], version) != version);
    if (info(id).place.group == info(Param::contrast).place.group) show_wedge(ruler, id);
  }
}

void LookDrawer::mark_tabs() {
  const auto pages = look_pages();
  for (std::size_t i = 0; i < pages.size(); ++i)
    mark_tab(tabs_[i], std::ranges::any_of(kLook.rows(), [&](const ParameterInfo& row) {
               return std::string_view(row.place.page) == pages[i] &&
                      session_.look.is_changed(row.id);
             }));
}

void LookDrawer::show_menu(Param id, QPoint at) {
  if (!session_.document.is_open()) return;
  auto* menu = new QMenu(this);
  menu->setObjectName("ruler_menu");
  menu->setAttribute(Qt::WA_DeleteOnClose);
  auto& look = session_.look;
  auto add = [&](const QString& text, bool possible, const std::function<void()>& run) {
    auto* action = menu->addAction(text);
    action->setEnabled(possible);
    connect(action, &QAction::triggered, this, run);
  };
  const bool keys = !key_places(session_.document.shoot()).empty();
  add(tr("Reset here"), look.is_changed(id), [&look, id] { look.reset(id); });
  add(tr("Reset at all key frames"), look.is_changed(id),
      [&look, id] { look.reset_everywhere(id); });
  add(tr("Carry to all key frames"), keys, [&look, id] { look.carry_everywhere(id); });
  add(tr("Make even between its neighbours"), look.can_be_evened(id),
      [&look, id] { look.even_out(id); });
  menu->addSeparator();
  add(tr("Copy as --set text"), true,
      [&look, id] { QApplication::clipboard()->setText(look.set_text(id)); });
  menu->popup(at);
}

void LookDrawer::show_wedge(Ruler* ruler, Param id) {
  const auto shown = wedges_.find(ruler);
  if (shown != wedges_.end() && shown->second == ruler->value()) return;
  wedges_[ruler] = ruler->value();
  ruler->set_wedge(tone_wedge(id, ruler->value(), Ruler::kWedge * devicePixelRatioF()));
}

}  // namespace tsukimi::app
