// SPDX-License-Identifier: GPL-3.0-or-later
// A grid of all frames, small, with what is known and decided about each.
#pragma once

#include <QAbstractListModel>
#include <QListView>

#include "app/picture/preview.h"

namespace tsukimi::app {

class FrameModel : public QAbstractListModel {
  Q_OBJECT
 public:
  FrameModel(Session& session, Preview& preview, QObject* parent);
  int rowCount(const QModelIndex& parent = {}) const override;
  // DecorationRole: the thumbnail, made when it is asked for; DisplayRole: the frame's number.
  QVariant data(const QModelIndex& index, int role) const override;

 private:
  Session& session_;
  Preview& preview_;
  int rows_ = 0;
};

class ContactSheet : public QListView {
  Q_OBJECT
 public:
  ContactSheet(Session& session, Preview& preview, QWidget* parent = nullptr);

 protected:
  void resizeEvent(QResizeEvent*) override;
  void showEvent(QShowEvent*) override;

 private:
  void show_selection();

  Session& session_;
  bool telling_ = false;  // the selection is being passed on: no echo
};

}  // namespace tsukimi::app
