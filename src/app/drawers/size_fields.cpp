// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/drawers/size_fields.h"

namespace tsukimi::app {
namespace {

// What the list stands for; the last two have fields of their own.
enum Kind { all_pixels, uhd, hd, longer_edge, exactly };
constexpr Size kUhd{3840, 2160}, kHd{1920, 1080};

// typed: the fields of an exact size are being worked on, whatever they say.
Kind kind_of(const PixelSize& p, bool typed) {
  if (p.exact.width > 0)
    return typed || (p.exact != kUhd && p.exact != kHd) ? exactly : p.exact == kUhd ? uhd : hd;
  return p.long_edge > 0 ? longer_edge : all_pixels;
}

}  // namespace

SizeFields::SizeFields(const QString& name) {
  column_ = new QVBoxLayout(this);
  column_->setContentsMargins(0, 0, 0, 0);
  auto* row = line();
  kind_ = field<QComboBox>("", tr("Size"));
  kind_->addItems({tr("All pixels of the crop"), tr("UHD, 3840×2160"), tr("HD, 1920×1080"),
                   tr("Longer edge"), tr("Exactly")});
  long_edge_ = field<QSpinBox>("", tr("Longer edge, pixels"));
  width_ = field<QSpinBox>("", tr("Width, pixels"));
  height_ = field<QSpinBox>("", tr("Height, pixels"));
  kind_->setObjectName(name + "size");
  long_edge_->setObjectName(name + "long_edge");
  width_->setObjectName(name + "width");
  height_->setObjectName(name + "height");
  row->addWidget(kind_, 2);
  for (QSpinBox* box : {long_edge_, width_, height_}) {
    box->setRange(2, 65000);
    box->setButtonSymbols(QAbstractSpinBox::NoButtons);
    row->addWidget(box, 1);
  }
  connect(kind_, &QComboBox::activated, this, [this](int i) {
    exact_ = i == exactly;
    const PixelSize wanted{i == uhd       ? kUhd
                           : i == hd      ? kHd
                           : i == exactly ? now_
                                          : Size{},
                           i == longer_edge ? std::max(now_.width, now_.height) : 0};
    show_kind(wanted);  // the fields show, also where the size is the same
    emit edited(wanted);
  });
  connect(long_edge_, &QSpinBox::valueChanged, this, [this](int v) { emit edited({Size{}, v}); });
  for (QSpinBox* box : {width_, height_})
    connect(box, &QSpinBox::valueChanged, this, [this] {
      emit edited({{width_->value(), height_->value()}, 0});
    });
}

void SizeFields::show_pixels(const PixelSize& pixels, Size now) {
  now_ = now;
  show_kind(pixels);
}

void SizeFields::show_kind(const PixelSize& pixels) {
  const Kind kind = kind_of(pixels, exact_);
  kind_->setCurrentIndex(kind);
  long_edge_->setVisible(kind == longer_edge);
  width_->setVisible(kind == exactly);
  height_->setVisible(kind == exactly);
  set_quietly(long_edge_, std::max(2, pixels.long_edge));
  set_quietly(width_, std::max(2, pixels.exact.width));
  set_quietly(height_, std::max(2, pixels.exact.height));
}

}  // namespace tsukimi::app
