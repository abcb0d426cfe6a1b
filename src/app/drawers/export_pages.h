// SPDX-License-Identifier: GPL-3.0-or-later
// The pages of the Export drawer: numbered frames, and each film.
#pragma once

#include <QComboBox>

#include "app/drawers/size_fields.h"
#include "app/state/session.h"

namespace tsukimi::app {

class ExportPage : public QWidget, protected Column {
  Q_OBJECT
 public:
  explicit ExportPage(Session& session);
  virtual void show_settings(const Shoot& shoot) = 0;

 protected:
  // As it is typed, one step of undo for each time that the field is worked on.
  using Take = std::function<void(Decisions&, const QString& typed)>;
  void follow(QLineEdit* edit, const QString& text, Take take);
  void edit(const QString& text, const std::function<void(Decisions&)>& change,
            const QString& gesture = {});
  QString size_words(const Shoot& shoot, Size size) const;  // pixels, shape, and what to heed

  Session& session_;

 private:
  int typing_ = 0;  // grows each time that a field is left
};

class FramesPage : public ExportPage {
  Q_OBJECT
 public:
  explicit FramesPage(Session& session);
  void show_settings(const Shoot& shoot) override;

 private:
  void add_files();
  void add_format();
  void add_facts();
  void choose_folder();
  void set(const QString& text, const std::function<void(ExportSettings&)>& change);
  QCheckBox *on_, *sidecars_, *location_, *old_profile_;
  QLineEdit *folder_, *pattern_, *copyright_;
  QComboBox *format_, *chroma_, *compression_, *space_;
  QSpinBox *quality_, *first_number_;
  SizeFields* size_;
  QLabel *names_, *pixels_;
};

class FilmPage : public ExportPage {
  Q_OBJECT
 public:
  explicit FilmPage(Session& session);
  void set_film(int index) { film_ = index; }  // of the decisions' films
  void show_settings(const Shoot& shoot) override;

 signals:
  void removed();

 private:
  void add_file();
  void add_codec();
  void add_beside();
  void choose_file();
  void choose_sound();
  void set(const QString& text, const std::function<void(FilmSettings&)>& change);
  int film_ = 0;
  QLineEdit *file_, *sound_;
  QComboBox *container_, *codec_, *by_, *bits_, *chroma_, *space_, *rate_;
  QSpinBox *quality_, *bitrate_, *poster_number_;
  QCheckBox* poster_;
  QPushButton* choose_sound_;
  SizeFields* size_;
  QLabel* pixels_;
  std::vector<Codec> fitting_;  // codecs in the list
};

}  // namespace tsukimi::app
