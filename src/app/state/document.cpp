// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/document.h"

#include <QCryptographicHash>
#include <QStandardPaths>
#include <QUndoCommand>

#include "app/convert/path_text.h"
#include "base/file.h"
#include "document/shoot/difference.h"
#include "film/other_frames.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

class DecisionsCommand : public QUndoCommand {
 public:
  DecisionsCommand(Document& document, const QString& text, Difference difference, QString gesture)
      : QUndoCommand(text),
        document_(document),
        difference_(std::move(difference)),
        gesture_(std::move(gesture)) {}
  void undo() override {
    Decisions decisions = document_.decisions();
    difference_.undo(decisions);
    document_.apply(decisions);
  }
  void redo() override {
    Decisions decisions = document_.decisions();
    difference_.redo(decisions);
    document_.apply(decisions);
  }
  int id() const override { return gesture_.isEmpty() ? -1 : 1; }
  bool mergeWith(const QUndoCommand* other) override {
    const auto& next = *static_cast<const DecisionsCommand*>(other);
    if (next.gesture_ != gesture_) return false;
    Decisions before = document_.decisions();  // both are done
    next.difference_.undo(before);
    difference_.undo(before);
    difference_ = Difference(before, document_.decisions());
    return true;
  }

 private:
  Document& document_;
  Difference difference_;
  QString gesture_;
};

fs::path whole_path(const fs::path& path) { return plain_path(path); }

// Where unsaved work on a shoot file, or on a folder that was never saved, is kept.
static fs::path autosave_of(const fs::path& file, const Shoot& shoot) {
  const fs::path id = file.empty() ? shoot.sequence.folder : file;
  const fs::path data =
      QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString();
  const QByteArray name =
      QCryptographicHash::hash(QByteArray::fromStdString(id.string()), QCryptographicHash::Sha1);
  return data / "autosave" / (name.toHex().left(16).toStdString() + ".tsukimi");
}

std::optional<Decisions> unsaved_work(const fs::path& file, const Shoot& shoot) {
  const fs::path autosave = autosave_of(file, shoot);
  std::error_code none, ec;
  const auto kept = fs::last_write_time(autosave, none);
  if (none || (!file.empty() && kept <= fs::last_write_time(file, ec))) return {};
  const auto restored = open_shoot(autosave);
  if (!restored ||
      shots_of(restored->sequence.frames).size() != shots_of(shoot.sequence.frames).size())
    return {};
  // Moments may have been made otherwise: ids stay with the shots.
  Sequence then = shoot.sequence;
  if (then.brackets != restored->decisions.brackets)
    group_frames(then, restored->decisions.brackets);
  const Decisions moved = moved_to(restored->decisions, restored->sequence, then);
  return moved == shoot.decisions ? std::nullopt : std::optional(moved);
}

Document::Document(TaskList& tasks, Notices& notices) : tasks_(tasks), notices_(notices) {
  autosave_.setSingleShot(true);
  autosave_.setInterval(1500);
  connect(&autosave_, &QTimer::timeout, this, &Document::autosave);
}

Document::~Document() {
  undo_.disconnect();  // who listens may have gone before
  std::error_code ec;
  for (const auto& file : stale_autosaves_) fs::remove(file, ec);
}

QString Document::name() const {
  if (!is_open()) return {};
  return shown_path(file_.empty() ? shoot_->sequence.folder.filename() : file_.stem());
}

void Document::take(Shoot shoot, const fs::path& file) {
  undo_.clear();  // while all that listens still knows the shoot before
  ++shoot_serial_;
  ++order_serial_;
  ++version_;
  shoot_ = std::move(shoot);
  if (!shoot_->other_frames)
    shoot_->other_frames = std::make_shared<OtherFrames>(shoot_->sequence.folder);
  courses_ = std::make_unique<Courses>(courses_of(*shoot_));
  file_ = file;
  emit opened();
}

void Document::edit(const QString& text, const Change& change, const QString& gesture) {
  if (!is_open()) return;
  const Decisions before = shoot_->decisions;
  change(*shoot_);
  Difference difference(before, shoot_->decisions);
  shoot_->decisions = before;
  if (difference.empty()) return;
  undo_.push(new DecisionsCommand(*this, text, std::move(difference), gesture));
}

void Document::start_over() {
  edit(tr("Start over"), [](Shoot& s) {
    // What a frame is made of is no adjustment.
    const Bracketing brackets = s.decisions.brackets;
    s.decisions = Decisions{};
    s.decisions.brackets = brackets;
  });
  emit notices_.message(
      tr("The sequence is as it came from the camera. Undo brings everything back."));
}

void Document::apply(const Decisions& decisions) {
  const bool regrouped = decisions.brackets != shoot_->decisions.brackets,
             reordered = decisions.order != shoot_->decisions.order || regrouped;
  if (decisions.order != shoot_->decisions.order) sort_shoot(*shoot_, decisions.order);
  if (regrouped) group_frames(shoot_->sequence, decisions.brackets);
  shoot_->decisions = decisions;
  courses_ = std::make_unique<Courses>(courses_of(*shoot_));
  ++version_;
  autosave_.start();
  if (reordered) {
    ++order_serial_;
    emit opened();
  }
  emit changed();
}

void Document::learn(const Change& change) {
  change(*shoot_);
  courses_ = std::make_unique<Courses>(courses_of(*shoot_));  // capture times may be known now
  ++version_;
  emit changed();
}

void Document::append(std::vector<FrameInfo> frames) {
  const std::vector<FrameInfo> before = shoot_->sequence.frames;
  append_frames(*shoot_, std::move(frames));
  courses_ = std::make_unique<Courses>(courses_of(*shoot_));
  ++version_;
  autosave_.start();
  // The last moment may have got the shots that it still lacked: another picture.
  const auto& now = shoot_->sequence.frames;
  if (now.size() < before.size() || !std::equal(before.begin(), before.end(), now.begin())) {
    ++order_serial_;
    emit opened();
  } else {
    emit frames_added();
  }
  emit changed();
}

void Document::save(const fs::path& file, std::function<void(bool)> then, Replace replace) {
  if (saving()) {  // one after the other
    save_next_ = [this, file, then = std::move(then), replace] { save(file, then, replace); };
    return;
  }
  const fs::path to = whole_path(file);
  const auto old = autosaves_to_discard(file_), other = autosaves_to_discard(to);
  saving_ = tasks_.start(
      tr("Saving"),
      [this, copy = *shoot_, file, to, old, other, then, replace, version = version_,
       serial = shoot_serial_](const Work&) -> TaskList::Finish {
        const auto saved = save_shoot(copy, file, replace);
        std::error_code ec;
        if (saved)
          for (const auto* list : {&old, &other})
            for (const fs::path& kept : *list) fs::remove(kept, ec);
        return [this, saved, to, then, version, serial] {
          const bool elsewhere = !saved && saved.error().code == ErrorCode::exists && to == file_;
          if (!saved && !elsewhere) {
            emit notices_.problem(QString::fromStdString(saved.error().message));
          } else if (saved && serial == shoot_serial_) {
            file_ = to;
            shoot_->file_sum = *saved;
            if (version == version_)
              undo_.setClean();
            else
              autosave_.start();  // what came meanwhile
            emit notices_.message(tr("Saved as ") + shown_path(file_));
            emit this->saved();
          }
          if (then) then(saved.has_value());
          if (elsewhere && serial == shoot_serial_) emit changed_elsewhere(shown_path(to));
          if (const auto next = std::exchange(save_next_, {})) next();
        };
      },
      false, [this, then](const Error& why) {  // who waits for it hears of every end
        emit notices_.problem(QString::fromStdString(why.message));
        if (then) then(false);
        if (const auto next = std::exchange(save_next_, {})) next();
      });
}

void Document::autosave() {
  if (!is_open() || undo_.isClean()) return;
  if (is_running(autosaving_)) return autosave_.start();  // one after the other
  const fs::path to = autosave_of(file_, *shoot_);
  autosaving_ = tasks_.start(
      tr("Autosave"),
      [this, copy = *shoot_, to](const Work&) -> TaskList::Finish {
        std::error_code made;
        fs::create_directories(to.parent_path(), made);
        const auto saved = save_shoot(copy, to, Replace::any);
        return [this, to, saved] {
          // What was saved by hand meanwhile needs no second copy, least of all an older one.
          std::error_code ec;
          if (std::erase(stale_autosaves_, to)) fs::remove(to, ec);
          if (!saved && !autosave_failed_)
            emit notices_.message(tr("Unsaved work cannot be kept: ") +
                                  QString::fromStdString(saved.error().message));
          autosave_failed_ = !saved;
        };
      },
      false);
}

// The one of this file; if it is being written just now it goes when it is.
std::vector<fs::path> Document::autosaves_to_discard(const fs::path& file) {
  const fs::path kept = autosave_of(file, *shoot_);
  autosave_.stop();
  if (is_running(autosaving_)) stale_autosaves_.push_back(kept);
  return {kept};
}

void Document::forget_unsaved() {
  if (!is_open()) return;
  tasks_.start(
      tr("Forgetting unsaved work"),
      [files = autosaves_to_discard(file_)](const Work&) -> TaskList::Finish {
        std::error_code ec;
        for (const fs::path& file : files) fs::remove(file, ec);
        return {};
      },
      false);
}

}  // namespace tsukimi::app
