#include <set>

#include "app/drawers/drawers.h"

namespace tsukimi::app {

FramesDrawer::FramesDrawer(Session& session, QWidget* parent) : Drawer("Frames", session, parent) {
  facts_ = words("body");
  heading("Length of the film");
  lengths_ = words();
  heading("What changed, and where");
  events_ = list("events", 300);
  events_->setToolTip("Click to go to the frame");
  notes_ = words();
  column_->addStretch(1);
  connect(events_, &QListWidget::itemClicked, this,
          [this](QListWidgetItem* i) { session_.set_frame(i->data(Qt::UserRole).toInt()); });
}

void FramesDrawer::refresh() {
  if (!session_.is_open()) {
    facts_->setText("Open a folder of frames to begin.");
    return;
  }
  const Sequence& s = session_.shoot().sequence;
  const auto film = static_cast<double>(film_frames(session_.shoot()).size());
  std::set<std::string> cameras, lenses;
  double first = 0, last = 0;
  for (const auto& f : s.frames) {
    if (!f.camera.empty()) cameras.insert(f.camera);
    if (!f.lens.empty()) lenses.insert(f.lens);
    if (f.time > 0) last = f.time, first = first > 0 ? first : f.time;
  }
  QString text = QString("<b>%1 frames</b>, %2×%3<br>")
                     .arg(s.frames.size())
                     .arg(s.size.width)
                     .arg(s.size.height);
  if (s.interval > 0)
    text += QString("every %1 s, %2 to %3<br>")
                .arg(s.interval)
                .arg(QString::fromStdString(format_clock(first)),
                     QString::fromStdString(format_clock(last)));
  for (const auto& c : cameras) text += QString::fromStdString(c).toHtmlEscaped() + "<br>";
  for (const auto& l : lenses) text += QString::fromStdString(l).toHtmlEscaped();
  facts_->setText(text);
  QString lengths = "<table width='100%'>";
  for (double rate : {24.0, 25.0, 30.0})
    lengths += QString("<tr><td>%1 fps</td><td align='right'>%2 s</td></tr>")
                   .arg(rate)
                   .arg(film / rate, 0, 'f', 2);
  lengths_->setText(lengths + "</table>");

  std::multimap<int, std::pair<QString, bool>> rows;
  for (const auto& g : s.gaps)
    rows.insert(
        {g.after,
         {QString("gap: %1 %2 missing").arg(g.missing).arg(g.missing == 1 ? "frame" : "frames"),
          true}});
  for (const auto& p : s.steps)
    rows.insert({p.at, {QString::fromStdString(p.what), std::abs(p.stops) > 0.8}});
  for (std::size_t i = 0; i < s.frames.size(); ++i)
    if (!s.frames[i].usable())
      rows.insert({static_cast<int>(i), {QString::fromStdString(s.frames[i].problem), true}});
  // Built anew only when something changed, so that a click keeps the list's place.
  QString signature;
  for (const auto& [frame, row] : rows) signature += QString::number(frame) + row.first + "\n";
  if (signature != events_->property("signature").toString() || events_->count() == 0) {
    events_->setProperty("signature", signature);
    events_->clear();
    auto add = [&](int frame, const QString& what, bool attention) {
      auto* item = new QListWidgetItem(QString("%1   %2").arg(frame_number(frame), what));
      item->setData(Qt::UserRole, frame);
      item->setToolTip(item->text());
      if (attention) item->setForeground(QColor(0xe8, 0x83, 0x6b));
      events_->addItem(item);
    };
    for (const auto& [frame, row] : rows) add(frame, row.first, row.second);
    if (rows.empty()) add(0, "nothing changed", false);
  }
  QStringList notes;
  for (const auto& n : s.notes) notes << QString::fromStdString(n);
  notes_->setText(notes.join("\n"));
}

}  // namespace tsukimi::app
