#include "app/session.h"

#include <QCoreApplication>
#include <QCryptographicHash>
#include <QPointer>
#include <QStandardPaths>
#include <QThreadPool>
#include <QUndoCommand>

#include "app/path_text.h"
#include "app/preview.h"
#include "base/cache.h"
#include "develop/display.h"
#include "film/checks.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

class DecisionsCommand : public QUndoCommand {
 public:
  DecisionsCommand(Session& session, const QString& text, Decisions before, Decisions after,
                   int merge_id)
      : QUndoCommand(text),
        session_(session),
        before_(std::move(before)),
        after_(std::move(after)),
        merge_id_(merge_id) {}
  void undo() override { session_.apply(before_); }
  void redo() override { session_.apply(after_); }
  int id() const override { return merge_id_; }
  bool mergeWith(const QUndoCommand* other) override {
    after_ = static_cast<const DecisionsCommand*>(other)->after_;
    return true;
  }

 private:
  Session& session_;
  Decisions before_, after_;
  int merge_id_;
};

Session::Session(QObject* parent) : QObject(parent) {
  autosave_.setSingleShot(true);
  autosave_.setInterval(1500);
  connect(&watch_timer_, &QTimer::timeout, this, &Session::look_for_frames);
  connect(&autosave_, &QTimer::timeout, this, &Session::autosave);
  connect(&tasks_, &TaskList::problem, this, &Session::problem);
  away_timer_.setInterval(2000);
  connect(&away_timer_, &QTimer::timeout, this, &Session::look_for_frames_that_were_away);
}

Session::~Session() {
  tasks_.finish_all();
  std::error_code ec;
  for (const auto& file : stale_autosaves_) fs::remove(file, ec);
}

QString Session::name() const {
  if (!is_open()) return {};
  return shown_path(file_.empty() ? shoot_->sequence.folder.filename() : file_.stem());
}

// Where unsaved work on a shoot file, or on a folder that was never saved, is kept.
static fs::path autosave_of(const fs::path& id) {
  const fs::path data =
      QStandardPaths::writableLocation(QStandardPaths::AppDataLocation).toStdString();
  const QByteArray name =
      QCryptographicHash::hash(QByteArray::fromStdString(id.string()), QCryptographicHash::Sha1);
  return data / "autosave" / (name.toHex().left(16).toStdString() + ".tsukimi");
}

fs::path Session::autosave_file() const {
  return autosave_of(file_.empty() ? shoot_->sequence.folder : file_);
}

void Session::autosave() {
  if (!is_open() || undo_.isClean()) return;
  if (is_running(autosaving_)) return autosave_.start();  // one after the other
  const fs::path to = autosave_file();
  autosaving_ = tasks_.start(
      "Autosave",
      [this, copy = *shoot_, to](const Work&) -> TaskList::Finish {
        const auto saved = save_shoot(copy, to);
        return [this, to, saved] {
          // What was saved by hand meanwhile needs no second copy, least of all an older one.
          std::error_code ec;
          if (std::erase(stale_autosaves_, to)) fs::remove(to, ec);
          if (!saved && !autosave_failed_)
            emit message("Unsaved work cannot be kept: " +
                         QString::fromStdString(saved.error().message));
          autosave_failed_ = !saved;
        };
      },
      false);
}

// Now, or as soon as it has been written.
void Session::discard_autosave() {
  const fs::path file = autosave_file();
  autosave_.stop();
  if (is_running(autosaving_)) stale_autosaves_.push_back(file);
  std::error_code ec;
  fs::remove(file, ec);
}

// The decisions of unsaved work that is newer than the file and differs from it.
static std::optional<Decisions> unsaved_work(const fs::path& autosave, const fs::path& file,
                                             const Shoot& shoot) {
  std::error_code none, ec;
  const auto kept = fs::last_write_time(autosave, none);
  if (none || (!file.empty() && kept <= fs::last_write_time(file, ec))) return {};
  const auto restored = open_shoot(autosave);
  if (!restored || restored->frame_count() != shoot.frame_count() ||
      restored->decisions == shoot.decisions)
    return {};
  return restored->decisions;
}

// What a background task found for the window to open.
struct Found {
  Result<Shoot> shoot = fail("");
  std::shared_ptr<FolderScan> scan;  // when there is something to choose
  std::optional<Decisions> unsaved;
};

static void start_found(Found& found, Sequence sequence) {
  const fs::path id = sequence.folder;
  const FrameOrder order = sequence.order;
  found.shoot = start_shoot(std::move(sequence));
  if (!found.shoot) return;
  found.shoot->decisions.order = order;
  found.unsaved = unsaved_work(autosave_of(id), {}, *found.shoot);
}

// Shows a picture of a folder while its metadata is still being read. The picture belongs to that
// opening alone: when it has ended, there is nothing left to put it into.
void Session::show_first(const fs::path& file, std::weak_ptr<Opening> opening) {
  tasks_.start(
      "First picture",
      [this, file, opening, read = first_reader](const Work&) -> TaskList::Finish {
        const auto sensor = read(file);
        if (!sensor) return {};
        const auto t = as_shot_temperature(sensor->colour);
        const QImage image = to_qimage(to_srgb8(develop_proxy(
            make_proxy(*sensor), {neutral_look(t.kelvin, t.tint), 0, {}, {}, 100, {}, {}})));
        return [this, opening, image] {
          const auto still = opening.lock();
          if (!still) return;
          still->first_look = image;
          emit first_look_changed();
        };
      },
      false, [](const Error&) {});  // what is wrong with the file is said by who opens it
}

void Session::end_opening() {
  opening_.reset();
  emit first_look_changed();
}

void Session::give_up_opening() {
  if (opening_ && opening_->task) opening_->task->cancelled = true;
  end_opening();
}

// "a/b/" and "./a/b" are the same folder, and have the same name.
static fs::path whole_path(const fs::path& path) {
  std::error_code ec;
  const fs::path whole = fs::absolute(path, ec).lexically_normal();
  return whole.has_filename() || !whole.has_relative_path() ? whole : whole.parent_path();
}

void Session::open(const fs::path& path, Pairs pairs) {
  if (opening_) give_up_opening();
  const fs::path given = whole_path(path);
  const auto opening = opening_ = std::make_shared<Opening>();
  // From a thread of the work, so by way of the window's.
  auto first = [this, weak = std::weak_ptr(opening)](const fs::path& f) {
    QMetaObject::invokeMethod(
        this, [this, f, weak] { show_first(f, weak); }, Qt::QueuedConnection);
  };
  opening->task = tasks_.start(
      "Opening " + shown_path(given.filename()),
      [this, given, pairs, first,
       weak = std::weak_ptr(opening)](const Work& work) -> TaskList::Finish {
        auto found = std::make_shared<Found>();
        std::error_code ec;
        const bool frame = fs::is_regular_file(given, ec) && given.extension() != ".tsukimi";
        const fs::path from = frame ? given.parent_path() : given;
        const bool folder = frame || fs::is_directory(given, ec);
        if (folder) {
          auto scan = read_folder(from, {FrameOrder::name, pairs, first}, work);
          if (!scan)
            found->shoot = tl::unexpected(scan.error());
          else if (scan->parts.size() > 1 || (scan->pairs > 0 && pairs == Pairs::raw))
            found->scan = std::make_shared<FolderScan>(std::move(*scan));
          else
            start_found(*found, make_sequence(*scan, {}));
        } else {
          found->shoot = open_shoot(from, work);
          if (found->shoot) found->unsaved = unsaved_work(autosave_of(from), from, *found->shoot);
        }
        return [this, found, folder, from, weak] {
          if (weak.expired()) return;  // given up, or another opening has taken its place
          if (found->scan) return emit sequences_found(found->scan);
          finish_open(*found, folder ? fs::path() : from);
        };
      },
      true,
      [this](const Error& why) {
        end_opening();
        emit problem(QString::fromStdString(why.message));
      });
}

void Session::open_part(std::shared_ptr<const FolderScan> scan, const std::vector<int>& frames) {
  if (!opening_) opening_ = std::make_shared<Opening>();
  opening_->task = tasks_.start(
      "Opening",
      [this, scan, frames, weak = std::weak_ptr(opening_)](const Work&) -> TaskList::Finish {
        auto found = std::make_shared<Found>();
        start_found(*found, make_sequence(*scan, frames));
        return [this, found, weak] {
          if (!weak.expired()) finish_open(*found, {});
        };
      });
}

void Session::finish_open(Found& found, const fs::path& file) {
  end_opening();
  if (!found.shoot) {
    emit problem(QString::fromStdString(found.shoot.error().message));
    return;
  }
  take(std::move(*found.shoot), file);
  if (!found.unsaved) return;
  edit("Restore unsaved work", [&](Shoot& s) { s.decisions = *found.unsaved; });
  emit message("Unsaved work was restored. Undo goes back to the saved shoot.");
}

void Session::take(Shoot shoot, const fs::path& file) {
  watch(false);
  // What still runs for the shoot before is of no use; an export goes on with a copy of its own.
  for (const auto& task : {measuring_, searching_, planning_, seeking_})
    if (task) task->cancelled = true;
  ++opened_;
  ++generation_;
  ++version_;
  store_ = std::make_shared<ProxyStore>(shoot.sequence.folder);
  shoot_ = std::move(shoot);
  course_ = std::make_unique<LookCourse>(*shoot_);
  file_ = file;
  if (!is_running(export_)) last_export_.reset();
  export_waits_.reset();
  undo_.clear();
  frame_ = 0;
  for (int i = 0; i < shoot_->frame_count() && !shoot_->sequence.frames[frame_].usable(); ++i)
    frame_ = i;
  forget_measured();
  emit opened();
  emit frame_changed();
  measure();
  look_for_hot_pixels();
}

void Session::forget_measured() {
  plan_ = {};
  measured_.reset();
  as_shot_.reset();
  suspects_.clear();
  selection_.clear();
}

void Session::measure() {
  const quint64 generation = generation_;
  measuring_ = tasks_.start(
      "Measuring light",
      [this, copy = *shoot_, store = store_, known = measured_,
       generation](const Work& work) mutable -> TaskList::Finish {
        auto measured = std::make_shared<const Measured>(
            measure_frames(copy, *store, work, known ? *known : Measured()));
        if (work.stop())
          return [this, generation] {
            if (generation != generation_) return;
            if (std::exchange(export_waits_, std::nullopt))
              emit problem("Nothing was exported: measuring the light was cancelled.");
            emit light_changed();
          };
        trim_cache();
        auto frames = std::make_shared<std::vector<FrameInfo>>(std::move(copy.sequence.frames));
        return [this, measured, frames, generation] {
          if (generation != generation_) return;
          measured_ = measured;
          suspects_ = measured->suspects;
          as_shot_.reset();
          bool worse = false;
          for (std::size_t i = 0; i < frames->size(); ++i) {
            auto& mine = shoot_->sequence.frames[i];
            worse |= mine.problem != (*frames)[i].problem;
            mine.problem = (*frames)[i].problem;
            mine.away = (*frames)[i].away;
          }
          worse ? emit changed() : emit light_changed();  // the suspects are there
          away_timer_.start();
          // A camera has gone on shooting meanwhile.
          if (measured_->grids.size() < shoot_->sequence.frames.size())
            measure();
          else
            replan();
        };
      });
  emit light_changed();  // it is being measured now
}

void Session::measure_again() {
  if (is_open() && !measuring()) measure();
}

// Files that were away for a moment (a drive that slept, no permission yet) come back by
// themselves.
void Session::look_for_frames_that_were_away() {
  if (!is_open() || is_running(seeking_) || measuring()) return;
  std::vector<int> away;
  for (int i = 0; i < shoot_->frame_count(); ++i)
    if (shoot_->sequence.frames[i].away) away.push_back(i);
  if (away.empty()) return away_timer_.stop();
  seeking_ = tasks_.start(
      "Looking for frames",
      [this, away, sequence = shoot_->sequence,
       generation = generation_](const Work& work) mutable -> TaskList::Finish {
        std::vector<std::pair<int, FrameInfo>> back;
        for (int i : away) {
          if (work.stop()) return {};
          auto info = read_frame_info(sequence.folder / sequence.frames[i].file);
          if (info.usable()) back.emplace_back(i, std::move(info));
        }
        if (back.empty()) return {};
        return [this, back, generation] {
          if (generation != generation_) return;
          for (const auto& [i, info] : back) shoot_->sequence.frames[i] = info;
          find_facts(shoot_->sequence);
          ++version_;
          emit changed();
          measure_again();
        };
      },
      false);
}

void Session::replan() {
  if (!measured_ || measured_->grids.size() != shoot_->sequence.frames.size()) return;
  if (is_running(planning_)) {
    plan_again_ = true;
    return;
  }
  plan_again_ = false;
  const quint64 generation = generation_;
  const auto needs = [](const Decisions& d) {
    return std::tie(d.deflicker.steady_area, d.set_aside);
  };
  auto known = as_shot_ && needs(as_shot_for_) == needs(decisions()) ? as_shot_ : nullptr;
  planning_ = tasks_.start(
      "Planning light",
      [this, copy = *shoot_, measured = measured_, known,
       generation](const Work&) -> TaskList::Finish {
        const auto& grids = measured->grids;
        auto as_shot =
            known ? known
                  : std::make_shared<const std::vector<double>>(as_shot_brightness(copy, grids));
        auto plan = std::make_shared<LightPlan>(plan_light(copy, grids, *as_shot));
        return [this, as_shot, decisions = copy.decisions, plan, generation] {
          if (generation == generation_) {
            as_shot_ = as_shot;
            as_shot_for_ = decisions;
            plan_ = std::move(*plan);
            ++version_;
            emit light_changed();
          }
          if (plan_again_ || generation != generation_) return replan();
          if (export_waits_) export_now(*std::exchange(export_waits_, std::nullopt));
        };
      },
      false);
}

void Session::save(const fs::path& file) {
  const auto result = save_shoot(*shoot_, file);
  if (!result) {
    emit problem(QString::fromStdString(result.error().message));
    return;
  }
  discard_autosave();
  file_ = whole_path(file);
  discard_autosave();
  undo_.setClean();
  emit saved();
  emit message("Saved as " + shown_path(file_));
}

void Session::set_frame(int frame) {
  if (!is_open()) return;
  frame = std::clamp(frame, 0, shoot_->frame_count() - 1);
  if (frame == frame_) return;
  frame_ = frame;
  emit frame_changed();
}

void Session::apply(const Decisions& decisions) {
  const auto of_light = [](const Decisions& d) {
    return std::tie(d.level, d.deflicker, d.set_aside, d.in, d.out);
  };
  const bool light = of_light(decisions) != of_light(shoot_->decisions);
  const bool reordered = decisions.order != shoot_->decisions.order;
  if (reordered) sort_shoot(*shoot_, decisions.order);
  shoot_->decisions = decisions;
  course_ = std::make_unique<LookCourse>(*shoot_);
  ++version_;
  autosave_.start();
  look_for_hot_pixels();
  if (reordered) {
    ++generation_;
    forget_measured();
    emit opened();
    emit frame_changed();
    measure();
  }
  emit changed();
  if (!light || reordered) return;
  if (measured_)
    replan();
  else
    measure_again();  // it was cancelled, and is wanted now
}

void Session::look_for_hot_pixels() {
  if (shoot_->hot_pixels || is_running(searching_)) return;
  const auto& keys = decisions().keys;
  if (std::none_of(keys.begin(), keys.end(),
                   [](const KeyFrame& k) { return k.look[Param::hot_pixels] > 0; }))
    return;
  searching_ = tasks_.start(
      "Looking for hot pixels",
      [this, copy = *shoot_, opened = opened_](const Work& work) mutable -> TaskList::Finish {
        know_hot_pixels(copy, work);
        return [this, hot = copy.hot_pixels, opened] {
          // They are the sensor's, whatever order the frames have now; another shoot has others.
          if (opened != opened_) return look_for_hot_pixels();
          if (!hot) return;
          shoot_->hot_pixels = hot;
          ++version_;
          emit changed();
          emit message(QString("%1 hot pixels were found.").arg(hot->size()));
        };
      });
}

void Session::edit(const QString& text, const std::function<void(Shoot&)>& change, int merge_id) {
  if (!is_open()) return;
  const Decisions before = shoot_->decisions;
  change(*shoot_);
  const Decisions after = shoot_->decisions;
  shoot_->decisions = before;
  if (before == after) return;
  undo_.push(new DecisionsCommand(*this, text, before, after, merge_id));
}

void Session::start_over() {
  edit("Start over", [](Shoot& s) { s.decisions = Decisions{}; });
  emit message("The sequence is as it came from the camera. Undo brings everything back.");
}

void Session::set_param(Param p, double value, int drag) {
  const bool fresh = !whole_sequence && key_at(decisions(), frame_) < 0;
  const bool begins = p == Param::haze && is_open() && course_->at(Param::haze, frame_) == 0;
  // Above all the numbers that others count from.
  const auto mixed = qHashMulti(0, static_cast<int>(p), frame_, drag);
  const int merge_id = static_cast<int>(mixed & 0x3fffffff) | 0x40000000;
  const auto& row = info(p);
  edit(
      QString("Set %1").arg(QString(row.label).toLower()),
      [&](Shoot& s) { set_value(s, p, frame_, value, whole_sequence); }, merge_id);
  // The air is measured once, when haze begins to be used; undo takes both back.
  if (begins) measure_air_of(frame_, merge_id);
  if (fresh) emit message(QString("A key frame was made at frame %1.").arg(frame_ + 1));
}

void Session::measure_air() {
  if (is_open()) measure_air_of(frame_, -1);
}

// Apart from the window's thread: the frame may have to be read from its raw file.
void Session::measure_air_of(int frame, int merge_id) {
  tasks_.start(
      "Measuring the air",
      [this, copy = *shoot_, store = store_, plan = plan_, frame, merge_id,
       generation = generation_](const Work&) mutable -> TaskList::Finish {
        set_airlight(copy, *store, plan, frame);
        const int key = key_at(copy.decisions, frame);
        if (key < 0) return {};
        return [this, look = copy.decisions.keys[key].look, frame, merge_id, generation] {
          // Haze may have been taken back meanwhile.
          if (generation != generation_ || course_->at(Param::haze, frame) == 0) return;
          edit(
              "Measure the air",
              [&](Shoot& s) {
                add_key(s, frame);
                Look& to = s.decisions.keys[key_at(s.decisions, frame)].look;
                for (auto p : {Param::airlight_red, Param::airlight_green, Param::airlight_blue})
                  to[p] = look[p];
              },
              merge_id);
        };
      });
}

void Session::propose_look() {
  if (!is_open()) return;
  // Developing the picture three times is too long for the window's thread.
  tasks_.start("Proposing a look",
               [this, copy = *shoot_, store = store_, plan = plan_, frame = frame_,
                generation = generation_](const Work&) mutable -> TaskList::Finish {
                 propose_at(copy, *store, plan, frame);
                 const int key = key_at(copy.decisions, frame);
                 if (key < 0) return {};
                 return [this, look = copy.decisions.keys[key].look, frame, generation] {
                   if (generation != generation_) return;
                   edit("Propose a look", [&](Shoot& s) {
                     add_key(s, frame);
                     s.decisions.keys[key_at(s.decisions, frame)].look = look;
                   });
                   emit message("These are plain values: change what you like, or undo.");
                 };
               });
}

void Session::toggle_key() {
  if (!is_open()) return;
  if (key_at(decisions(), frame_) >= 0)
    edit("Remove key frame", [&](Shoot& s) { remove_key(s, frame_); });
  else
    edit("Make key frame", [&](Shoot& s) { add_key(s, frame_); });
}

void Session::propose_keys() {
  if (!is_open() || !light_known()) return;
  const auto frames = tsukimi::propose_keys(shoot(), plan_, 6);
  edit("Propose key frames", [&](Shoot& s) {
    for (int f : frames) add_key(s, f);
  });
}

void Session::go_to_key(int direction) {
  if (!is_open()) return;
  int target = -1;
  for (const auto& k : decisions().keys) {
    if (direction > 0 && k.frame > frame_ && target < 0) target = k.frame;
    if (direction < 0 && k.frame < frame_) target = k.frame;
  }
  if (target >= 0) set_frame(target);
}

void Session::copy_look() {
  if (!is_open()) return;
  copied_ = course_->at(frame_);
  emit message(QString("The look of frame %1 is copied.").arg(frame_ + 1));
}

void Session::paste_look() {
  if (!is_open() || !copied_) return;
  edit("Carry look", [&](Shoot& s) {
    add_key(s, frame_);
    s.decisions.keys[key_at(s.decisions, frame_)].look = *copied_;
  });
}

void Session::export_film(bool overwrite) {
  if (!is_open() || exporting()) return;
  const bool needs_light = decisions().level.on || decisions().deflicker.on;
  if (!needs_light || (light_known() && !is_running(planning_) && !measuring()))
    return export_now(overwrite);
  export_waits_ = overwrite;
  if (!is_running(planning_)) measure_again();
  emit message("The export begins when the light has been measured.");
}

void Session::export_now(bool overwrite) {
  export_ = tasks_.start(
      "Exporting",
      [this, copy = *shoot_, plan = plan_, overwrite, name = name(),
       opened = opened_](const Work& work) mutable -> TaskList::Finish {
        know_hot_pixels(copy, work);
        auto report =
            std::make_shared<Result<ExportReport>>(export_frames(copy, plan, {}, overwrite, work));
        return [this, report, opened, name] { end_export(std::move(*report), opened, name); };
      },
      true,
      [this, opened = opened_, name = name()](const Error& why) {
        end_export(tl::unexpected(why), opened, name);
      });
}

// Of the shoot that is open, the drawer tells; of another one, the status line.
void Session::end_export(Result<ExportReport> report, quint64 opened, const QString& name) {
  if (opened == opened_) {
    last_export_ = std::move(report);
  } else {
    last_export_.reset();
    const bool good = report && report->complete();
    if (good)
      emit message(QString("%1: all %2 frames are exported.").arg(name).arg(report->total));
    else
      emit problem(QString("The export of %1 is not complete. ").arg(name) +
                   QString::fromStdString(!report                    ? report.error().message
                                          : report->problems.empty() ? "It was cancelled."
                                                                     : report->problems.front()));
  }
  emit export_finished();
}

}  // namespace tsukimi::app
