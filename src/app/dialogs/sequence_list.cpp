// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/sequence_list.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QVBoxLayout>

#include "app/convert/path_text.h"
#include "app/convert/qimage.h"
#include "app/dialogs/dialog_button.h"
#include "app/picture/preview.h"
#include "app/widgets/style.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "proxy/proxy_store.h"

namespace tsukimi::app {
namespace {

constexpr int kRow = 78, kPicture = 96;
enum Role { kFirst = Qt::UserRole, kLast, kTitle, kDetail };

class RowDelegate : public QStyledItemDelegate {
 public:
  using QStyledItemDelegate::QStyledItemDelegate;
  QSize sizeHint(const QStyleOptionViewItem&, const QModelIndex&) const override {
    return {400, kRow};
  }
  void paint(QPainter* p, const QStyleOptionViewItem& o, const QModelIndex& i) const override {
    p->save();
    const bool selected = o.state & QStyle::State_Selected;
    p->fillRect(o.rect, selected ? QColor(0x3a, 0x38, 0x2f) : colour::ground);
    int x = o.rect.left() + 10;
    if (i.flags() & Qt::ItemIsUserCheckable) {
      const bool on = i.data(Qt::CheckStateRole).toInt() == Qt::Checked;
      const QRectF box(x, o.rect.center().y() - 7.5, 15, 15);
      p->setRenderHint(QPainter::Antialiasing);
      p->setPen(QPen(on ? colour::moon : colour::quiet, 1.2));
      p->setBrush(on ? QBrush(colour::moon) : QBrush(Qt::NoBrush));
      p->drawRoundedRect(box, 3, 3);
      if (on) {
        p->setPen(QPen(colour::ground, 2));
        p->drawPolyline(QPolygonF({{box.left() + 3.5, box.center().y()},
                                   {box.left() + 6.5, box.bottom() - 4},
                                   {box.right() - 3, box.top() + 4}}));
      }
      x += 26;
    }
    for (int role : {kFirst, kLast}) {
      const QRect frame(x, o.rect.top() + 7, kPicture, kRow - 14);
      const auto image = i.data(role).value<QImage>();
      p->fillRect(frame, colour::panel);
      if (!image.isNull()) {
        const QSize s = image.size().scaled(frame.size(), Qt::KeepAspectRatio);
        p->setRenderHint(QPainter::SmoothPixmapTransform);
        p->drawImage(QRect(frame.center().x() - s.width() / 2, frame.center().y() - s.height() / 2,
                           s.width(), s.height()),
                     image);
      }
      x += kPicture + (role == kFirst ? 4 : 14);
    }
    const QRect words(x, o.rect.top() + 10, o.rect.right() - x - 8, kRow - 20);
    QFont f = o.font;
    f.setBold(true);
    p->setFont(f);
    p->setPen(colour::text);
    p->drawText(words, Qt::AlignLeft | Qt::AlignTop, i.data(kTitle).toString());
    p->setFont(o.font);
    p->setPen(colour::quiet);
    p->drawText(words.adjusted(0, 20, 0, 0), Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap,
                i.data(kDetail).toString());
    p->restore();
  }
};

}  // namespace

SequenceList::SequenceList(bool choose, QWidget* parent) : QWidget(parent), choose_(choose) {
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  list_ = new QListWidget;
  list_->setObjectName("sequences");
  list_->setItemDelegate(new RowDelegate(list_));
  list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  list_->setMinimumHeight(4 * kRow + 4);
  column->addWidget(list_, 1);
  auto* row = new QHBoxLayout;
  merge_ = add_button(row, tr("Merge with next"), "merge",
                      tr("The next sequence goes on with this one"));
  split_ =
      add_button(row, tr("Split after"), "split", tr("A new sequence begins after so many frames"));
  count_ = new QSpinBox;
  count_->setObjectName("count");
  count_->setAccessibleName(tr("How many frames"));
  count_->setRange(1, 99999);
  count_->setSuffix(tr(" frame"));
  connect(count_, &QSpinBox::valueChanged, this,
          [this](int n) { count_->setSuffix(n == 1 ? tr(" frame") : tr(" frames")); });
  row->addWidget(count_);
  move_ = add_button(row, tr("Give to next"), "give",
                     tr("The last so many frames belong to the next sequence"));
  row->addStretch(1);
  column->addLayout(row);
  auto current = [this] { return static_cast<std::size_t>(std::max(0, list_->currentRow())); };
  connect(merge_, &QPushButton::clicked, this, [this, current] {
    merge_parts(scan_.frames, parts_, current());
    rebuild(list_->currentRow());
  });
  connect(split_, &QPushButton::clicked, this, [this, current] {
    split_part(scan_.frames, parts_, current(), static_cast<std::size_t>(count_->value()));
    rebuild(list_->currentRow());
  });
  connect(move_, &QPushButton::clicked, this, [this, current] {
    move_boundary(scan_.frames, parts_, current(), -count_->value());
    rebuild(list_->currentRow());
  });
  connect(list_, &QListWidget::currentRowChanged, this, [this](int i) {
    const bool next = i >= 0 && i + 1 < static_cast<int>(parts_.size());
    merge_->setEnabled(next);
    move_->setEnabled(next);
    split_->setEnabled(i >= 0 && parts_[i].frames.size() > 1);
    emit changed();
  });
  connect(list_, &QListWidget::itemChanged, this, &SequenceList::changed);
  connect(list_, &QListWidget::itemDoubleClicked, this, &SequenceList::activated);
  // Anywhere in the row ticks it: a small box alone is hard to hit.
  connect(list_, &QListWidget::itemClicked, this, [this](QListWidgetItem* i) {
    if (choose_) i->setCheckState(i->checkState() == Qt::Checked ? Qt::Unchecked : Qt::Checked);
  });
}

void SequenceList::show_scan(const FolderScan& scan, double fps) {
  scan_ = scan;
  parts_ = scan.parts;
  fps_ = fps;
  pictures_.clear();
  int longest = 0;
  for (std::size_t k = 0; k < parts_.size(); ++k)
    if (parts_[k].kind == PartKind::sequence &&
        (parts_[longest].kind != PartKind::sequence ||
         parts_[k].frames.size() > parts_[longest].frames.size()))
      longest = static_cast<int>(k);
  rebuild(longest);
}

QString SequenceList::words(const Part& p) const {
  const auto& first = scan_.frames[p.frames.front()];
  const auto& last = scan_.frames[p.frames.back()];
  QString text = tr("%1 to %2").arg(shown_path(first.file), shown_path(last.file));
  if (first.time > 0 && last.time > 0)
    text += tr("  ·  %1 to %2")
                .arg(QString::fromStdString(format_clock(first.time)),
                     QString::fromStdString(format_clock(last.time)));
  if (!p.why.empty()) text += "\n" + QString::fromStdString(p.why);
  return text;
}

void SequenceList::rebuild(int current) {
  std::map<int, Qt::CheckState> ticks;  // by first frame
  for (int i = 0; i < list_->count(); ++i)
    ticks[list_->item(i)->data(Qt::UserRole + 9).toInt()] = list_->item(i)->checkState();
  list_->clear();
  for (const Part& p : parts_) {
    auto* item = new QListWidgetItem;
    const int first = p.frames.front();
    item->setData(Qt::UserRole + 9, first);
    QString title = QString::fromStdString(describe(p));
    if (p.kind != PartKind::singles)
      title += tr("  →  %1 s at %2 fps").arg(p.moments() / fps_, 0, 'f', 1).arg(fps_);
    item->setData(kTitle, title);
    item->setData(kDetail, words(p));
    if (choose_) {
      item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
      const bool wanted = p.kind != PartKind::singles;
      item->setCheckState(ticks.count(first) ? ticks[first] : wanted ? Qt::Checked : Qt::Unchecked);
    } else {
      item->setFlags(item->flags() & ~Qt::ItemIsUserCheckable);
    }
    list_->addItem(item);
  }
  list_->setCurrentRow(std::clamp(current, 0, std::max(0, list_->count() - 1)));
  load_pictures();
  emit changed();
}

void SequenceList::load_pictures() {
  for (std::size_t k = 0; k < parts_.size(); ++k)
    for (int role : {kFirst, kLast}) {
      const int frame = role == kFirst ? parts_[k].frames.front() : parts_[k].frames.back();
      auto show = [this, frame] {
        for (std::size_t j = 0; j < parts_.size(); ++j) {
          if (parts_[j].frames.front() == frame)
            list_->item(static_cast<int>(j))->setData(kFirst, pictures_[frame]);
          if (parts_[j].frames.back() == frame)
            list_->item(static_cast<int>(j))->setData(kLast, pictures_[frame]);
        }
      };
      if (pictures_.count(frame)) {
        show();
        continue;
      }
      pictures_[frame] = {};
      tasks_.start(
          tr("Picture"),
          [this, folder = scan_.folder, info = scan_.frames[frame], frame,
           show](const Work& work) -> TaskList::Finish {
            QImage image;
            if (work.stop() || !info.usable()) return {};
            if (const auto head = ProxyStore(folder).head(info))
              image = to_qimage(to_srgb8(develop_as_shot(head->thumbnail)));
            return [this, image, frame, show] {
              pictures_[frame] = image;
              show();
            };
          },
          false);
    }
}

std::vector<int> SequenceList::chosen() const {
  std::vector<int> out;
  if (!choose_) {
    if (list_->currentRow() >= 0) out.push_back(list_->currentRow());
    return out;
  }
  for (int i = 0; i < list_->count(); ++i)
    if (list_->item(i)->checkState() == Qt::Checked) out.push_back(i);
  return out;
}

}  // namespace tsukimi::app
