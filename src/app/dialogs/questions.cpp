// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/dialogs/questions.h"

#include <QCoreApplication>
#include <QMessageBox>
#include <QPushButton>
#include <map>

namespace tsukimi::app {
namespace {

QString tr(const char* text) { return QCoreApplication::translate("questions", text); }

// Buttons and what they mean; whatever closes the box otherwise means `otherwise`.
template <typename Answer>
Answer answered(QMessageBox& box, const std::map<QAbstractButton*, Answer>& answers,
                Answer otherwise) {
  box.exec();
  const auto answer = answers.find(box.clickedButton());
  return answer == answers.end() ? otherwise : answer->second;
}

}  // namespace

Unsaved ask_what_becomes_of_changes(QWidget* parent, const QString& shoot) {
  QMessageBox box(QMessageBox::NoIcon, "Tsukimi", shoot + tr(" has changes that are not saved."),
                  QMessageBox::Save | QMessageBox::Discard | QMessageBox::Cancel, parent);
  const int answer = box.exec();
  return answer == QMessageBox::Save      ? Unsaved::save
         : answer == QMessageBox::Discard ? Unsaved::drop
                                          : Unsaved::stay;
}

Leaving ask_what_becomes_of_exports(QWidget* parent) {
  QMessageBox box(QMessageBox::NoIcon, "Tsukimi",
                  tr("Exports are being made. They can go on without the window; what rests or "
                     "is cancelled keeps what is finished and goes on from there."),
                  QMessageBox::NoButton, parent);
  const std::map<QAbstractButton*, Leaving> answers{
      {box.addButton(tr("Go on in the background"), QMessageBox::AcceptRole), Leaving::go_on},
      {box.addButton(tr("Pause"), QMessageBox::DestructiveRole), Leaving::pause},
      {box.addButton(tr("Cancel the exports"), QMessageBox::DestructiveRole), Leaving::cancel}};
  box.addButton(tr("Do not close"), QMessageBox::RejectRole);
  return answered(box, answers, Leaving::stay);
}

KeptChanges ask_which_changes_stay(QWidget* parent, const QString& file) {
  QMessageBox box(
      QMessageBox::NoIcon, "Tsukimi",
      tr("%1 was changed elsewhere since it was opened here. Nothing was saved yet.").arg(file),
      QMessageBox::NoButton, parent);
  const std::map<QAbstractButton*, KeptChanges> answers{
      {box.addButton(tr("Save beside it"), QMessageBox::AcceptRole), KeptChanges::beside},
      {box.addButton(tr("Keep mine"), QMessageBox::DestructiveRole), KeptChanges::mine},
      {box.addButton(tr("Take theirs"), QMessageBox::DestructiveRole), KeptChanges::theirs}};
  box.addButton(QMessageBox::Cancel);
  return answered(box, answers, KeptChanges::neither);
}

bool ask_to_make_folder(QWidget* parent, const QString& folder) {
  QMessageBox box(QMessageBox::NoIcon, "Tsukimi", tr("The folder %1 is not there.").arg(folder),
                  QMessageBox::Cancel, parent);
  const std::map<QAbstractButton*, bool> answers{
      {box.addButton(tr("Make it"), QMessageBox::AcceptRole), true}};
  return answered(box, answers, false);
}

}  // namespace tsukimi::app
