// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/sequence_drawer.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QStyledItemDelegate>
#include <set>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {

enum Role { kFrame = Qt::UserRole, kStrength, kDecided };

// A suspect: its frame, its reason, and a line as long as it is strong.
class SuspectDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {100, 40};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    p->save();
    p->fillRect(o.rect,
                o.state & QStyle::State_Selected ? QColor(0x3a, 0x38, 0x2f) : colour::ground);
    const QString decided = i.data(kDecided).toString();
    const QRect words = o.rect.adjusted(40, 3, -6, -5);
    p->setPen(decided.isEmpty() ? colour::coral : colour::quiet);
    p->drawText(o.rect.adjusted(4, 3, 0, 0), Qt::AlignLeft | Qt::AlignTop,
                frame_number(i.data(kFrame).toInt()));
    p->setPen(decided.isEmpty() ? colour::text : colour::quiet);
    const QString text =
        (decided.isEmpty() ? QString() : decided + ": ") + i.data(Qt::DisplayRole).toString();
    p->drawText(words, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, text);
    p->fillRect(QRectF(8, o.rect.bottom() - 14, 26, 3), colour::raised);
    p->fillRect(QRectF(8, o.rect.bottom() - 14, 26 * i.data(kStrength).toDouble(), 3),
                decided.isEmpty() ? colour::coral : colour::faint);
    p->restore();
  }
};

}  // namespace

SequenceDrawer::SequenceDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Sequence"), session, parent) {
  column_->setSpacing(6);
  facts_ = words("body");
  suspects_heading_ = heading(tr("Suspects"));
  suspects_ = list("suspects", 126);
  suspects_->setItemDelegate(new SuspectDelegate(suspects_));
  auto* row = new QHBoxLayout;
  row->setSpacing(5);
  for (auto* b :
       {previous_ = button("", "suspect_before", tr("The suspect before (Shift+J)")),
       next_ = button("", "suspect_after", tr("The next suspect (J)")),
       aside_ = button(
           tr("Set aside"), "set_aside",
           tr("Leave this frame, or those selected, out of the film, or bring them back (A)")),
       keep_ = button(tr("Keep"), "keep", tr("Looked at, and good (Y)"))}) {
    b->setStyleSheet("padding: 5px 7px");
    row->addWidget(b);
  }
  previous_->setIcon(family_icon("before"));
  next_->setIcon(family_icon("after"));
  previous_->setAccessibleName(tr("The suspect before"));
  next_->setAccessibleName(tr("The next suspect"));
  column_->addLayout(row);
  heading(tr("In place of frames set aside"));
  policy_ = new QComboBox;
  policy_->setObjectName("aside_policy");
  policy_->setAccessibleName(tr("In place of frames set aside"));
  policy_->addItem(tr("Fill up to 3 in a row, else close up"),
                   static_cast<int>(AsidePolicy::automatic));
  policy_->addItem(tr("Fill all, made from their neighbours"), static_cast<int>(AsidePolicy::fill));
  policy_->addItem(tr("Close up, the film gets shorter"), static_cast<int>(AsidePolicy::close_up));
  column_->addWidget(policy_);
  aside_words_ = words();
  heading(tr("What changed, and where"));
  events_ = list("events", 120);
  events_->setMinimumHeight(110);
  events_->setMaximumHeight(600);
  column_->setStretchFactor(events_, 1);
  events_->setToolTip(tr("Click to go to the frame"));
  order_words_ = words();
  order_ = new QComboBox;
  order_->setObjectName("order");
  order_->setAccessibleName(tr("Order of the frames"));
  order_->setToolTip(tr("In which order the frames stand"));
  order_->addItem(tr("In the order of their names"), static_cast<int>(FrameOrder::name));
  order_->addItem(tr("In the order of capture time"), static_cast<int>(FrameOrder::time));
  column_->addWidget(order_);
  notes_ = words();
  watch_ = check(tr("Watch the folder"), "watch",
                 tr("The camera is still shooting: new frames join by themselves"));
  for (auto* l : {suspects_, events_})
    connect(l, &QListWidget::itemClicked, this,
            [this](QListWidgetItem* i) { session_.playhead.set_frame(i->data(kFrame).toInt()); });
  connect(previous_, &QPushButton::clicked, this, [this] { session_.checking.go_to_suspect(-1); });
  connect(next_, &QPushButton::clicked, this, [this] { session_.checking.go_to_suspect(1); });
  connect(aside_, &QPushButton::clicked, this, [this] { session_.checking.toggle_set_aside(); });
  connect(keep_, &QPushButton::clicked, this, [this] { session_.checking.keep(); });
  connect(policy_, &QComboBox::activated, this, [this](int i) {
    session_.document.edit(tr("Frames set aside"), [&](Shoot& s) {
      s.decisions.aside = static_cast<AsidePolicy>(policy_->itemData(i).toInt());
    });
  });
  connect(order_, &QComboBox::activated, this, [this](int i) {
    session_.checking.set_order(static_cast<FrameOrder>(order_->itemData(i).toInt()));
  });
  connect(watch_, &QCheckBox::clicked, this, [this](bool on) { session_.folder.watch(on); });
  connect(&session_.playhead, &Playhead::selection_changed, this, [this] {
    if (isVisible()) refresh();
  });
}

void SequenceDrawer::refresh() {
  for (auto* w : std::initializer_list<QWidget*>{suspects_, previous_, next_, aside_, keep_,
                                                 policy_, events_, watch_})
    w->setEnabled(session_.document.is_open());
  if (!session_.document.is_open()) {
    facts_->setText(tr("Open a folder of frames to begin, or bring in from a card."));
    order_->hide();
    return;
  }
  refresh_facts();
  refresh_suspects();
  refresh_aside();
  refresh_events();
  const Sequence& s = session_.document.shoot().sequence;
  const bool disagree = s.ordering.backwards > 0;
  order_->setVisible(disagree || session_.document.decisions().order == FrameOrder::time);
  order_->setCurrentIndex(order_->findData(static_cast<int>(session_.document.decisions().order)));
  order_words_->setVisible(disagree);
  order_words_->setText(tr("Names and capture times disagree at %1 %2.")
                            .arg(s.ordering.backwards)
                            .arg(s.ordering.backwards == 1 ? "frame" : "frames"));
  QStringList notes;
  for (const auto& n : s.notes)
    if (!n.starts_with("Names and capture")) notes << QString::fromStdString(n);
  notes_->setText(notes.join("\n"));
  notes_->setVisible(!notes.isEmpty());
  watch_->setChecked(session_.folder.watching());
}

void SequenceDrawer::refresh_facts() {
  const Sequence& s = session_.document.shoot().sequence;
  const auto film = static_cast<double>(film_length(session_.document.shoot()));
  std::set<std::string> cameras, lenses;
  double first = 0, last = 0;
  for (const auto& f : s.frames) {
    if (!f.camera.empty()) cameras.insert(f.camera);
    if (!f.lens.empty()) lenses.insert(f.lens);
    if (f.time > 0) last = f.time, first = first > 0 ? first : f.time;
  }
  int missing = 0;
  for (const auto& g : s.gaps) missing += g.missing;
  QString text =
      tr("<b>%1 frames</b>, %2×%3").arg(s.frames.size()).arg(s.size.width).arg(s.size.height);
  if (missing) text += QString(", <span style='color:#e8836b'>%1 missing</span>").arg(missing);
  text += "<br>";
  if (s.interval > 0) {
    text += tr("every %1 s").arg(s.interval);
    if (s.jitter >= 0.005) text += QString(" ± %1 s").arg(s.jitter, 0, 'f', s.jitter < 1 ? 2 : 1);
    text += tr(", %1 to %2<br>")
                .arg(QString::fromStdString(format_clock(first)),
                     QString::fromStdString(format_clock(last)));
  }
  for (const auto& c : cameras) text += QString::fromStdString(c).toHtmlEscaped() + "<br>";
  for (const auto& l : lenses) text += QString::fromStdString(l).toHtmlEscaped() + "<br>";
  text += "<table width='100%'><tr>";
  for (double rate : {24.0, 25.0, 30.0})
    text += QString("<td><span style='color:#a9a7a2'>%1 fps</span><br>%2 s</td>")
                .arg(rate)
                .arg(film / rate, 0, 'f', 2);
  facts_->setText(text + "</tr></table>");
}

void SequenceDrawer::refresh_suspects() {
  const int open = session_.checking.open_suspects(),
            all = static_cast<int>(session_.light.suspects().size());
  suspects_heading_->setText(
      all == 0 && session_.light.measuring() ? tr("Suspects: the frames are being looked at …")
      : all == 0 && !session_.light.known()  ? tr("Suspects: not looked for yet")
      : all == 0                             ? tr("Suspects: none")
      : open == 0                            ? tr("Suspects: %1, all decided").arg(all)
                  : tr("Suspects: %1 of %2 to decide").arg(open).arg(all));
  QString signature;
  for (const auto& s : session_.light.suspects())
    signature += QString("%1 %2 %3 %4\n")
                     .arg(s.frame)
                     .arg(QString::fromStdString(s.reason))
                     .arg(session_.checking.is_open(s))
                     .arg(is_set_aside(session_.document.shoot(), s.frame));
  if (signature != suspects_->property("signature").toString()) {
    suspects_->setProperty("signature", signature);
    suspects_->clear();
    for (const auto& s : session_.light.suspects()) {
      auto* item = new QListWidgetItem(QString::fromStdString(s.reason));
      item->setToolTip(item->text());
      item->setData(kFrame, s.frame);
      item->setData(kStrength, s.strength);
      item->setData(kDecided, is_set_aside(session_.document.shoot(), s.frame) ? tr("set aside")
                              : session_.checking.is_open(s)                   ? ""
                                                                               : "kept");
      suspects_->addItem(item);
    }
  }
  for (int i = 0; i < suspects_->count(); ++i)
    if (suspects_->item(i)->data(kFrame).toInt() == session_.playhead.frame()) {
      suspects_->setCurrentRow(i);
      suspects_->scrollToItem(suspects_->item(i));
    }
  if (!session_.light.suspect_at(session_.playhead.frame())) suspects_->setCurrentRow(-1);
  previous_->setEnabled(open > 0);
  next_->setEnabled(open > 0);
}

void SequenceDrawer::refresh_aside() {
  const auto& d = session_.document.decisions();
  const auto chosen = session_.playhead.chosen();
  const bool back = std::all_of(chosen.begin(), chosen.end(),
                                [&](int f) { return is_set_aside(session_.document.shoot(), f); });
  aside_->setText(back                ? tr("Bring back")
                  : chosen.size() > 1 ? tr("Set %1 aside").arg(chosen.size())
                                      : tr("Set aside"));
  policy_->setCurrentIndex(policy_->findData(static_cast<int>(d.aside)));
  const auto made = std::ssize(kept_frames_of(session_.document.shoot()).replaced);
  aside_words_->setVisible(!d.set_aside.empty());
  aside_words_->setText(tr("%1 set aside: %2 filled, %3 closed up")
                            .arg(d.set_aside.size())
                            .arg(made)
                            .arg(static_cast<qint64>(d.set_aside.size()) - made));
}

void SequenceDrawer::refresh_events() {
  const Sequence& s = session_.document.shoot().sequence;
  std::multimap<int, std::pair<QString, bool>> rows;
  for (const auto& g : s.gaps)
    rows.insert(
        {g.after,
         {tr("gap: %1 %2 missing").arg(g.missing).arg(g.missing == 1 ? "frame" : "frames"), true}});
  for (const auto& c : s.changes) {
    const auto step = std::find_if(s.steps.begin(), s.steps.end(),
                                   [&](const ExposureStep& e) { return e.at == c.at; });
    rows.insert(
        {c.at,
         {QString::fromStdString(c.what), step == s.steps.end() || std::abs(step->stops) > 0.8}});
  }
  for (std::size_t i = 0; i < s.frames.size(); ++i)
    if (!s.frames[i].usable())
      rows.insert({static_cast<int>(i), {QString::fromStdString(s.frames[i].problem), true}});
  // Built anew only when something changed, so that a click keeps the list's place.
  QString signature;
  for (const auto& [frame, row] : rows) signature += QString::number(frame) + row.first + "\n";
  if (signature == events_->property("signature").toString() && events_->count() > 0) return;
  events_->setProperty("signature", signature);
  events_->clear();
  auto add = [&](int frame, const QString& what, bool attention) {
    auto* item = new QListWidgetItem(QString("%1   %2").arg(frame_number(frame), what));
    item->setData(kFrame, frame);
    item->setToolTip(item->text());
    if (attention) item->setForeground(colour::coral);
    events_->addItem(item);
  };
  for (const auto& [frame, row] : rows) add(frame, row.first, row.second);
  if (rows.empty()) add(0, tr("nothing changed"), false);
}

}  // namespace tsukimi::app
