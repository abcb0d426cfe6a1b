// SPDX-License-Identifier: GPL-3.0-or-later
// Star trails: what is decided about them, how the sky turns, and the trails that the picture
// shows.
//
// Lives in the window's thread.
#pragma once

#include <QTimer>
#include <mutex>

#include "app/state/light_work.h"
#include "app/state/playhead.h"
#include "film/trail_preview.h"

namespace tsukimi::app {

// The film as it is now, for threads that show frames of it with their trails.
class ShownTrails {
 public:
  ShownTrails(Shoot shoot, LightPlan light, std::shared_ptr<TrailPreview> kept)
      : shoot_(std::move(shoot)), light_(std::move(light)), kept_(std::move(kept)) {}
  // The picture of that frame of the film with its trail, which is made of pictures of `size`;
  // nothing when those before it are not made yet. unfaded: the picture, without its trail.
  std::optional<Image> show(Image unfaded, int number, Size size, ProxyStore& store);
  bool lacks(int number, Size size);
  Result<void> prepare(int number, Size size, ProxyStore& store, const Work& work);

 private:
  std::shared_ptr<const TrailFilm> film(Size size);
  const Shoot shoot_;
  const LightPlan light_;
  const std::shared_ptr<TrailPreview> kept_;
  std::mutex mutex_;
  std::shared_ptr<const TrailFilm> film_;
};

class TrailWork : public QObject {
  Q_OBJECT
 public:
  TrailWork(Document& document, Playhead& playhead, LightWork& light, TaskList& tasks,
            Notices& notices);

  const Trails& trails() const { return document_.decisions().trails; }
  bool has_trails() const;
  // One undoable change; of the same gesture as in Document::edit.
  void edit(const QString& text, const std::function<void(Trails&)>& change,
            const QString& gesture = {});
  // The place that is the sky, by its number; -1: everywhere.
  int sky() const;
  void set_sky(int place);
  // A new place above the skyline, found by the stars. How the sky turns is looked for first where
  // it is not known.
  void propose_sky();
  bool looking() const { return is_running(looking_); }

  // For Preview: none when the film has no trails.
  std::shared_ptr<ShownTrails> shown();
  // A picture of that size was shown without its trail, as those before it are not made yet: they
  // are made when the hand rests.
  void want(int number, Size size);
  quint64 serial() const { return serial_; }  // grows when trails have been made

 signals:
  void changed();

 private:
  void look_for_sky(bool asked = false);
  void place_sky();
  void prepare();

  Document& document_;
  Playhead& playhead_;
  LightWork& light_;
  TaskList& tasks_;
  Notices& notices_;
  TaskPtr looking_, placing_, preparing_;
  bool then_place_ = false;  // the sky is to be proposed when it is known
  std::shared_ptr<TrailPreview> kept_ = std::make_shared<TrailPreview>();
  std::shared_ptr<ShownTrails> shown_;
  quint64 shown_version_ = 0, serial_ = 0;
  QTimer rests_;
  int wanted_ = -1;
  Size wanted_size_;
};

}  // namespace tsukimi::app
