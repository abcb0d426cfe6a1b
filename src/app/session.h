// What is open: the shoot, its measured light, the playhead, undo. Everything that the window shows
// comes from here, and every change goes through edit().
#pragma once

#include <QImage>
#include <QObject>
#include <QTimer>
#include <QUndoStack>
#include <memory>
#include <optional>

#include "app/task.h"
#include "document/shoot_file.h"
#include "film/film.h"
#include "folder/watch.h"
#include "output/export_frames.h"

namespace tsukimi::app {

struct Found;  // what a background task opened

// One opening of a folder or a shoot. What belongs to it, such as the first picture that is shown
// while metadata is still being read, dies with it.
struct Opening {
  TaskPtr task;
  QImage first_look;
};

class Session : public QObject {
  Q_OBJECT
 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  bool is_open() const { return shoot_.has_value(); }
  const Shoot& shoot() const { return *shoot_; }
  const Decisions& decisions() const { return shoot_->decisions; }
  const LightPlan& light() const { return plan_; }
  bool light_known() const { return !plan_.as_shot.empty(); }
  const LookCourse& course() const { return *course_; }
  const std::shared_ptr<ProxyStore>& store() const { return store_; }
  TaskList& tasks() { return tasks_; }
  QUndoStack& undo() { return undo_; }
  // Absolute; empty for a folder that was never saved.
  const std::filesystem::path& file() const { return file_; }
  QString name() const;
  bool has_unsaved() const { return is_open() && !undo_.isClean(); }
  int frame() const { return frame_; }
  quint64 version() const { return version_; }  // grows with every change of what frames look like

  // Opens a folder of frames or a .tsukimi file in the background; a frame stands for its folder. A
  // folder with several sequences, or with raw and still pictures of the same shots, is offered by
  // sequences_found().
  void open(const std::filesystem::path& path, Pairs pairs = Pairs::raw);
  // These frames of a folder, as one sequence; none: all of them.
  void open_part(std::shared_ptr<const FolderScan> scan, const std::vector<int>& frames);
  void give_up_opening();
  // While something is being opened: a picture of it, if there is one yet.
  QImage first_look() const { return opening_ ? opening_->first_look : QImage(); }
  // How that picture is read; tests make it slow.
  std::function<Result<SensorFrame>(const std::filesystem::path&)> first_reader = read_frame;
  void save(const std::filesystem::path& file);
  void set_frame(int frame);

  // One undoable change. Changes with the same merge id that follow each other (a drag) become one.
  void edit(const QString& text, const std::function<void(Shoot&)>& change, int merge_id = -1);
  void start_over();
  // At the playhead, or everywhere (whole_sequence). What one drag does is one step of undo.
  void set_param(Param p, double value, int drag = 0);
  void measure_air();   // of the frame at the playhead, into its look
  void propose_look();  // for the frame at the playhead
  void toggle_key();
  void propose_keys();
  void go_to_key(int direction);  // the next key frame after (+1) or before (-1) the playhead
  bool whole_sequence = false;

  void copy_look();
  void paste_look();
  bool has_copied_look() const { return copied_.has_value(); }

  // Checking frames (session_frames.cpp).
  const std::vector<Suspect>& suspects() const { return suspects_; }
  const Suspect* suspect_at(int frame) const;
  bool is_open_suspect(const Suspect& s) const;  // neither set aside nor looked at and kept
  int open_suspects() const;
  void go_to_suspect(int direction);
  // What commands work on: frames selected in the timeline or the contact sheet, else the playhead.
  std::vector<int> chosen() const;
  const std::vector<int>& selection() const { return selection_; }
  void select(std::vector<int> frames);
  void toggle_set_aside();
  void keep_chosen();  // looked at, and good
  void set_order(FrameOrder order);
  void watch(bool on);  // new frames in the folder join
  bool watching() const { return watch_timer_.isActive(); }

  // Measures the light first if levelling or deflicker need it.
  void export_film(bool overwrite);
  bool exporting() const { return is_running(export_) || export_waits_.has_value(); }
  // When it was cancelled, or a frame that was away is back. Goes on where it stopped.
  void measure_again();
  // The light is not known yet, and will be.
  bool measuring() const {
    return is_running(measuring_) || (is_running(planning_) && !light_known());
  }
  const std::optional<Result<ExportReport>>& last_export() const { return last_export_; }

 signals:
  void first_look_changed();
  void sequences_found(std::shared_ptr<const FolderScan> scan);
  void opened();        // another shoot is there
  void frames_added();  // by a camera that is still shooting
  void selection_changed();
  void changed();        // decisions
  void light_changed();  // brightness and corrections
  void frame_changed();
  void saved();
  void export_finished();
  void message(const QString& text);  // for the status line
  void problem(const QString& text);  // something failed; a whole sentence

 private:
  void measure_air_of(int frame, int merge_id);
  friend class DecisionsCommand;
  void finish_open(Found& found, const std::filesystem::path& file);
  void end_opening();
  void show_first(const std::filesystem::path& file, std::weak_ptr<Opening> opening);
  void take(Shoot shoot, const std::filesystem::path& file);
  void forget_measured();
  void apply(const Decisions& decisions);
  void measure();
  void look_for_frames();
  void look_for_hot_pixels();
  void replan();  // in the background; the newest wins
  void look_for_frames_that_were_away();
  void export_now(bool overwrite);
  void end_export(Result<ExportReport> report, quint64 opened, const QString& name);
  void autosave();
  void discard_autosave();
  std::filesystem::path autosave_file() const;

  std::optional<Shoot> shoot_;
  std::unique_ptr<LookCourse> course_;
  std::shared_ptr<ProxyStore> store_;
  std::shared_ptr<const Measured> measured_;
  std::shared_ptr<const std::vector<double>> as_shot_;
  Decisions as_shot_for_;  // what as_shot_ was measured for
  std::vector<Suspect> suspects_;
  std::vector<int> selection_;
  std::shared_ptr<FolderWatch> watch_;
  QTimer watch_timer_;
  TaskPtr looking_, searching_, planning_, measuring_, export_, autosaving_, seeking_;
  std::shared_ptr<Opening> opening_;
  QTimer away_timer_;                 // runs while frames are away
  std::optional<bool> export_waits_;  // for the light; whether it overwrites
  // To be removed when what is being written is written.
  std::vector<std::filesystem::path> stale_autosaves_;
  LightPlan plan_;
  std::filesystem::path file_;
  int frame_ = 0;
  // generation_ grows with every shoot and every order of its frames, opened_ with the shoot.
  quint64 version_ = 0, generation_ = 0, opened_ = 0;
  bool plan_again_ = false, autosave_failed_ = false;
  std::optional<Look> copied_;
  std::optional<Result<ExportReport>> last_export_;
  QUndoStack undo_;
  QTimer autosave_;
  TaskList tasks_;
};

}  // namespace tsukimi::app
