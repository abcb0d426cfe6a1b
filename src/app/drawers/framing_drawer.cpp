#include "app/drawers/drawers.h"

namespace tsukimi::app {

FramingDrawer::FramingDrawer(Session& session, QWidget* parent)
    : Drawer(tr("Framing"), session, parent) {
  heading(tr("Shape of the film"));
  aspect_ = new QComboBox;
  aspect_->setObjectName("aspect");
  aspect_->setAccessibleName(tr("Shape of the crop"));
  aspect_->addItem(tr("Whole frame"), "");
  for (const char* a : {"16:9", "2:1", "4:3", "1:1", "9:16"}) aspect_->addItem(a, a);
  column_->addWidget(aspect_);
  place_ =
      new Ruler({"crop_place", tr("Place"), "%",
                 tr("Where the crop lies in the room that is left: 0 at the top or left, 100 at "
                    "the bottom or right. Dragging on the picture does the same."),
                 0, 100, 50, 1, 0});
  column_->addWidget(place_);
  size_ = words("body");
  auto* hint = words();
  hint->setText(tr("Drag the crop on the picture. All frames are cut the same way."));
  column_->addStretch(1);
  connect(aspect_, &QComboBox::activated, this, [this](int i) {
    const QString a = aspect_->itemData(i).toString();
    session_.document.edit(tr("Crop"), [&](Shoot& s) {
      const auto ratio = parse_aspect(a.toStdString());
      s.decisions.framing = {a.toStdString(),
                             ratio ? crop_to_aspect(s.sequence.size, *ratio) : Rect{}};
    });
  });
  connect(place_, &Ruler::edited, this, [this](double v, int drag) {
    session_.document.edit(
        tr("Move crop"),
        [&](Shoot& s) {
          Rect& c = s.decisions.framing.crop;
          c = c.h < 1 ? moved_inside(c, c.x, (1 - c.h) * v / 100)
                      : moved_inside(c, (1 - c.w) * v / 100, c.y);
        },
        tr("crop place %1").arg(drag));
  });
}

void FramingDrawer::refresh() {
  const bool open = session_.document.is_open();
  widget()->setEnabled(open);
  if (!open) return;
  const auto& f = session_.document.decisions().framing;
  const int i = aspect_->findData(QString::fromStdString(f.aspect));
  aspect_->setCurrentIndex(i >= 0 ? i
                                  : (aspect_->addItem(QString::fromStdString(f.aspect),
                                                      QString::fromStdString(f.aspect)),
                                     aspect_->count() - 1));
  const bool room = f.crop.w < 1 || f.crop.h < 1;
  place_->setEnabled(room);
  place_->set_value(!room          ? 50
                    : f.crop.h < 1 ? 100 * f.crop.y / (1 - f.crop.h)
                                   : 100 * f.crop.x / (1 - f.crop.w));
  const Size full = session_.document.shoot().sequence.size, cut = natural_size(full, f.crop);
  size_->setText(
      tr("%1×%2 of %3×%4 pixels").arg(cut.width).arg(cut.height).arg(full.width).arg(full.height));
}

}  // namespace tsukimi::app
