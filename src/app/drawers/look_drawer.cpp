#include <QHBoxLayout>

#include "app/drawers/drawers.h"

namespace tsukimi::app {

LookDrawer::LookDrawer(Session& session, QWidget* parent) : Drawer("Look", session, parent) {
  where_ = words("body");
  where_->setMinimumHeight(30);
  auto* row = new QHBoxLayout;
  row->setSpacing(6);
  previous_ = button("◂", "previous_key", "Key frame before this (Page up)");
  next_ = button("▸", "next_key", "Key frame after this (Page down)");
  key_ = button("Make key frame", "toggle_key", "Make or remove a key frame here (K)");
  for (auto* b : {previous_, next_}) b->setFixedWidth(34);
  row->addWidget(previous_);
  row->addWidget(key_, 1);
  row->addWidget(next_);
  column_->addLayout(row);
  whole_ = check("Whole sequence", "whole_sequence",
                 "A ruler moves its value at every key frame by the same amount");
  connect(previous_, &QPushButton::clicked, this, [this] { session_.go_to_key(-1); });
  connect(next_, &QPushButton::clicked, this, [this] { session_.go_to_key(1); });
  connect(key_, &QPushButton::clicked, &session_, &Session::toggle_key);
  connect(whole_, &QCheckBox::toggled, this, [this](bool on) { session_.whole_sequence = on; });

  QString group;
  for (const auto& p : parameter_table()) {
    if (group != p.group) heading(group = p.group);
    auto* ruler =
        new Ruler({p.name, p.label, p.unit, p.tip, p.min, p.max, p.preset, p.step, p.decimals});
    column_->addWidget(ruler);
    rulers_.emplace_back(p.id, ruler);
    const Param id = p.id;
    connect(ruler, &Ruler::edited, this, [this, id](double v) { session_.set_param(id, v); });
    connect(ruler, &Ruler::frame_clicked, &session_, &Session::set_frame);
    connect(ruler, &Ruler::key_edited, this, [this, id](int frame, double v, int drag) {
      session_.edit(
          QString("Set %1").arg(QString(info(id).label).toLower()),
          [&](Shoot& s) { set_value(s, id, frame, v); },
          2'000'000 + static_cast<int>(id) * 1000 + drag % 1000);
    });
  }
  auto* carry = new QHBoxLayout;
  auto* copy = button("Copy look", "copy_look", "Remember the look of this frame (Ctrl+C)");
  paste_ = button("Carry here", "paste_look", "Put the copied look onto this frame (Ctrl+V)");
  carry->addWidget(copy);
  carry->addWidget(paste_);
  column_->addLayout(carry);
  propose_ = button("Propose key frames", "propose_keys",
                    "At both ends and where the brightness curve bends");
  column_->addWidget(propose_);
  column_->addStretch(1);
  connect(copy, &QPushButton::clicked, this, [this] {
    session_.copy_look();
    refresh();
  });
  connect(paste_, &QPushButton::clicked, &session_, &Session::paste_look);
  connect(propose_, &QPushButton::clicked, &session_, &Session::propose_keys);
}

void LookDrawer::refresh() {
  const bool open = session_.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& d = session_.decisions();
  const int frame = session_.frame(), key = key_at(d, frame),
            count = static_cast<int>(d.keys.size());
  if (count == 0)
    where_->setText("No key frames yet. Every frame looks as the camera shot it.");
  else if (key >= 0)
    where_->setText(QString("Key frame %1 of %2").arg(key + 1).arg(count));
  else
    where_->setText(session_.whole_sequence ? "Between key frames. A ruler moves all of them."
                                            : "Between key frames. Moving a ruler makes one here.");
  key_->setText(key >= 0 ? "Remove key frame" : "Make key frame");
  previous_->setEnabled(count && d.keys.front().frame < frame);
  next_->setEnabled(count && d.keys.back().frame > frame);
  paste_->setEnabled(session_.has_copied_look());
  propose_->setEnabled(session_.light_known());
  const auto& course = session_.course();
  for (auto& [id, ruler] : rulers_) {
    Ruler::Course c;
    c.playhead = frame;
    for (const auto& k : d.keys) c.keys.push_back(k.frame);
    for (int i = 0; i < session_.shoot().frame_count(); ++i) c.values.push_back(course.at(id, i));
    ruler->set_course(std::move(c));
    if (id == Param::temperature) ruler->set_preset(session_.shoot().as_shot.kelvin);
    if (id == Param::tint) ruler->set_preset(session_.shoot().as_shot.tint);
    ruler->set_value(course.at(id, frame));
  }
}

}  // namespace tsukimi::app
