// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/picture/contact_sheet.h"

#include <QPainter>
#include <QStyledItemDelegate>
#include <QTimer>

#include "app/widgets/style.h"
#include "film/film.h"

namespace tsukimi::app {
namespace {

constexpr int kWidth = 150, kCaption = 28;  // least width of a cell; its line of words

int cell_height(int width) { return width * 2 / 3 + kCaption; }

// The thumbnail, its number and time, and marks that say in shape and words what colour says too.
class FrameDelegate : public QStyledItemDelegate {
 public:
  FrameDelegate(Session& session, QObject* parent)
      : QStyledItemDelegate(parent), session_(session) {}

  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {kWidth, cell_height(kWidth)};
  }

  void paint(QPainter* p, const QStyleOptionViewItem& option,
             const QModelIndex& index) const override {
    const int frame = index.row();
    if (!session_.document.is_open() || frame >= session_.document.shoot().frame_count()) return;
    const FrameInfo& info = session_.document.shoot().sequence.frames[frame];
    const bool selected = option.state & QStyle::State_Selected,
               here = frame == session_.playhead.frame();
    const bool aside = is_set_aside(session_.document.shoot(), frame);
    const Suspect* suspect = session_.light.suspect_at(frame);
    if (suspect && !session_.checking.is_open(*suspect)) suspect = nullptr;
    const QRect cell = option.rect.adjusted(3, 3, -3, -3);
    p->save();
    p->fillRect(cell, selected ? QColor(0x3a, 0x38, 0x2f) : colour::panel);
    const QRect room(cell.left() + 3, cell.top() + 3, cell.width() - 6, cell.height() - kCaption);
    const auto image = index.data(Qt::DecorationRole).value<QImage>();
    QRect box = room;
    if (!image.isNull()) {
      const QSize size = image.size().scaled(room.size(), Qt::KeepAspectRatio);
      box =
          QRect(QPoint(room.center().x() - size.width() / 2, room.center().y() - size.height() / 2),
                size);
      p->setRenderHint(QPainter::SmoothPixmapTransform);
      p->setOpacity(aside ? 0.35 : 1);
      p->drawImage(box, image);
      p->setOpacity(1);
    } else {
      p->fillRect(room, QColor(0x1f, 0x1f, 0x20));
      p->setPen(info.usable() ? colour::faint : colour::coral);
      p->drawText(room.adjusted(4, 0, -4, 0), Qt::AlignCenter | Qt::TextWordWrap,
                  info.usable() ? "…" : "unreadable");
    }
    if (aside) p->fillRect(box, QBrush(QColor(0xa9, 0xa7, 0xa2, 110), Qt::BDiagPattern));
    QFont small = option.font;
    small.setPixelSize(text_px(10));
    p->setFont(small);
    const QRect line(cell.left() + 5, cell.bottom() - 22, cell.width() - 10, 18);
    p->setPen(here ? colour::moon : colour::text);
    p->drawText(line, Qt::AlignLeft | Qt::AlignVCenter, QString::number(frame + 1));
    const QString words = aside     ? tr("set aside")
                          : suspect ? QString(kSuspectKinds[suspect->kind].name)
                                    : QString::fromStdString(format_clock(info.time));
    p->setPen(suspect && !aside ? colour::coral : colour::quiet);
    p->drawText(line, Qt::AlignRight | Qt::AlignVCenter, words);
    p->setRenderHint(QPainter::Antialiasing);
    if (suspect && !aside)
      p->fillRect(QRect(cell.left(), cell.top(), 3, cell.height()), colour::coral);
    if (has_key(session_.document.shoot(), frame)) {
      p->setPen(QPen(colour::panel, 1));
      p->setBrush(colour::moon);
      p->drawEllipse(QPointF(line.center().x(), line.center().y() + 0.5), 4.5, 4.5);
    }
    if (here) {
      p->setPen(QPen(colour::moon, 1.4));
      p->setBrush(Qt::NoBrush);
      p->drawRect(QRectF(cell).adjusted(0.5, 0.5, -0.5, -0.5));
    }
    p->restore();
  }

 private:
  Session& session_;
};

}  // namespace

FrameModel::FrameModel(Session& session, Preview& preview, QObject* parent)
    : QAbstractListModel(parent), session_(session), preview_(preview) {
  connect(&session_.document, &Document::opened, this, [this] {
    beginResetModel();
    rows_ = session_.document.shoot().frame_count();
    endResetModel();
  });
  connect(&session_.document, &Document::frames_added, this, [this] {
    beginInsertRows({}, rows_, session_.document.shoot().frame_count() - 1);
    rows_ = session_.document.shoot().frame_count();
    endInsertRows();
  });
  connect(&preview_, &Preview::ready, this, [this](int frame) {
    if (frame < rows_) emit dataChanged(index(frame), index(frame), {Qt::DecorationRole});
  });
}

int FrameModel::rowCount(const QModelIndex& parent) const { return parent.isValid() ? 0 : rows_; }

QVariant FrameModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rows_) return {};
  if (role == Qt::DecorationRole) return preview_.get(index.row(), Rendering::thumbnail).image;
  if (role == Qt::DisplayRole) return index.row() + 1;
  if (role == Qt::ToolTipRole) {
    const FrameInfo& f = session_.document.shoot().sequence.frames[index.row()];
    const Suspect* s = session_.light.suspect_at(index.row());
    return QString::fromStdString(printable(f.file) + (s ? "\n" + s->reason : "") +
                                  (f.usable() ? "" : "\n" + f.problem));
  }
  return {};
}

ContactSheet::ContactSheet(Session& session, Preview& preview, QWidget* parent)
    : QListView(parent), session_(session) {
  setObjectName("contact_sheet");
  setViewMode(QListView::IconMode);
  setFlow(QListView::LeftToRight);
  setWrapping(true);
  setResizeMode(QListView::Adjust);
  setMovement(QListView::Static);
  setUniformItemSizes(true);
  setSelectionMode(QAbstractItemView::ExtendedSelection);
  setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
  setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  setMinimumWidth(kWidth + 24);
  setModel(new FrameModel(session, preview, this));
  setItemDelegate(new FrameDelegate(session, this));
  connect(selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
    if (telling_) return;
    std::vector<int> frames;
    for (const auto& i : selectionModel()->selectedIndexes()) frames.push_back(i.row());
    telling_ = true;
    // One frame is the playhead, not a choice of frames.
    session_.playhead.select(frames.size() > 1 ? frames : std::vector<int>());
    telling_ = false;
  });
  connect(selectionModel(), &QItemSelectionModel::currentChanged, this,
          [this](const QModelIndex& now) {
            // It follows the playhead too, which may stand between two frames.
            if (now.isValid() && now.row() != session_.playhead.frame())
              session_.playhead.set_frame(now.row());
          });
  connect(&session_.playhead, &Playhead::selection_changed, this, &ContactSheet::show_selection);
  auto stand_there = [this] {
    const auto here = model()->index(session_.playhead.frame(), 0);
    if (selectionModel()->currentIndex() != here)
      selectionModel()->setCurrentIndex(here, QItemSelectionModel::NoUpdate);
    if (isVisible()) scrollTo(here);
    viewport()->update();
  };
  connect(&session_.playhead, &Playhead::frame_changed, this, stand_there);
  connect(&session_.document, &Document::opened, this, stand_there);  // the model is made anew
  auto update = [this] { viewport()->update(); };
  connect(&session_.document, &Document::changed, this, update);
  connect(&session_.light, &LightWork::changed, this, update);
}

// As many columns as fit, sharing the width evenly.
void ContactSheet::resizeEvent(QResizeEvent* e) {
  const int width = viewport()->width() - 2, columns = std::max(1, width / kWidth);
  setGridSize({width / columns, cell_height(width / columns)});
  QListView::resizeEvent(e);
}

void ContactSheet::showEvent(QShowEvent* e) {
  QListView::showEvent(e);
  QTimer::singleShot(0, this, [this] {
    if (session_.document.is_open())
      scrollTo(model()->index(session_.playhead.frame(), 0), QAbstractItemView::PositionAtCenter);
  });
}

void ContactSheet::show_selection() {
  if (telling_) return;
  telling_ = true;
  QItemSelection all;
  for (int f : session_.playhead.selection())
    all.select(model()->index(f, 0), model()->index(f, 0));
  selectionModel()->select(all, QItemSelectionModel::ClearAndSelect);
  telling_ = false;
}

}  // namespace tsukimi::app
