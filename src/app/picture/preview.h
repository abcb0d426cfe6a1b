// SPDX-License-Identifier: GPL-3.0-or-later
// Pictures for the screen, made in the background, the newest request first: from proxies while
// something moves, from the file when it rests. What has waited behind many newer ones is not
// wanted any more and is withdrawn.
#pragma once

#include <QElapsedTimer>
#include <QImage>
#include <QObject>
#include <QThreadPool>
#include <list>
#include <map>
#include <set>

#include "app/state/session.h"
#include "film/film.h"
#include "measure/histogram.h"

namespace tsukimi::app {

// With its look, from the proxy; the same from its file, at full quality in the size that is seen;
// as the camera shot it; small; the same without its tone curves; what the
// picture is compared with (Compare), from the proxy.
enum class Rendering { live, finished, as_shot, thumbnail, before_curve, compared };
inline bool is_small(Rendering kind) {
  return kind == Rendering::thumbnail || kind == Rendering::before_curve;
}

struct Picture {
  QImage image;
  Placement shows;  // what of the frame
  std::shared_ptr<const Histogram> tones;
  std::shared_ptr<const Histogram> sensor;  // of the live one: what the sensor saw
  bool lacks_trail = false;                 // it is on its way
  bool isNull() const { return image.isNull(); }
};

class Preview : public QObject {
  Q_OBJECT
 public:
  explicit Preview(Session& session);
  ~Preview() override;

  // What is on screen: developed pictures are made of just that, so that what nobody sees costs
  // nothing. The other kinds show the whole frame. live: in how many pixels at most; finished: in
  // how many pixels.
  void set_view(bool whole_frame, QSize live, QSize finished);

  // For pictures that are kept, in bytes; the newest is kept whatever its size. Thumbnails have
  // theirs.
  void set_memory(qint64 most) { kept(Rendering::live).most = most; }
  static qint64 memory_by_what_is_free();

  // The picture, if it is there for the present settings and view; otherwise it is asked for and
  // ready() follows. `stale` may return the latest picture of that frame made with older ones.
  Picture get(Moment moment, Rendering kind, bool stale = true) {
    return look_up(moment, kind, stale, false);
  }
  // The last one that was made, whatever has changed since; nothing is asked for.
  Picture latest(int frame, Rendering kind) const;
  // Whether it is there for the present settings; nothing is asked for.
  bool has(Moment moment, Rendering kind);
  // Asks for frames that will be shown soon.
  void prefetch(const std::vector<Moment>& moments, Rendering kind = Rendering::live);

 signals:
  void ready(int frame);
  void failed(int frame, Rendering kind, const QString& why);

 private:
  struct Key {
    Moment moment;
    Rendering kind;
    auto operator<=>(const Key&) const = default;
  };
  // What a picture is made from: equal recipes give equal pictures.
  struct Asked {
    FilmRecipe recipe;  // without lenses, which its sources and look decide
    QSize most;         // of pixels, for what is made from proxies
    bool wide = false;  // a film has light above white: it is brought into the screen's range
    int number = -1;    // in the film, of one with a trail; else -1
    // That show it: others once anything has changed in the frames that it is made from.
    std::shared_ptr<ShownTrails> trails = {};
    bool operator==(const Asked&) const = default;
  };
  struct Made {
    Picture picture;
    Asked asked;
    quint64 version;        // when it was seen to be what is asked for
    quint64 without_trail;  // when its trail was not there yet; 0: it is whole
    std::list<Key>::iterator place;
  };
  struct Request {
    Key key;
    bool ahead;  // for playing: several at once, each on a thread of its own
  };
  struct Order {
    Asked asked;
    quint64 version, epoch;
  };
  Asked asked(Key key) const;
  bool is_fresh(Key key, Made& made) const;
  Picture look_up(Moment moment, Rendering kind, bool stale, bool ahead);
  void ask(Request request);
  void dispatch();  // starts what is wanted most while a thread is free
  void start(const Request& request);
  void keep(Key key, Made made);
  void finished(Key key, const Order& order, Picture picture, const QString& why);

  Session& session_;
  QThreadPool pool_;
  std::map<Key, Made> made_;
  // What is kept, used last first, until there is too much of it: small pictures and others.
  struct Kept {
    std::list<Key> recent;
    qint64 bytes = 0, most = 0;
  };
  Kept& kept(Rendering kind) { return kept_[is_small(kind)]; }
  Kept kept_[2];
  std::set<Key> running_, wanted_;
  std::list<Request> waiting_;  // the newest first; pictures in large before thumbnails
  std::shared_ptr<std::atomic<bool>> alive_;
  bool whole_frame_ = true;
  QSize live_, finished_;
  quint64 view_ = 0;   // another part or size
  quint64 epoch_ = 0;  // another shoot
};

}  // namespace tsukimi::app
