// Pictures for the screen: proxies developed in the background, the newest request first. What has
// waited behind many newer ones is not wanted any more and is withdrawn.
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

namespace tsukimi::app {

// Which version of a frame: with its look, as the camera shot it, developed at full size, or small.
enum class Kind { developed, as_shot, full, thumbnail };

struct Picture {
  QImage image;
  Rect part;  // of the frame, which the image shows
  bool isNull() const { return image.isNull(); }
};

class Preview : public QObject {
  Q_OBJECT
 public:
  explicit Preview(Session& session);
  ~Preview() override;

  // What of the frame is on screen, and in how many pixels at most: developed pictures are made of
  // just that, so that what nobody sees costs nothing (those of full size: in the sensor's pixels).
  // The other kinds show the whole frame.
  void set_view(Rect part, QSize most);

  // The picture, if it is there for the present settings and view; otherwise it is asked for and
  // ready() follows. `stale` may return the latest picture of that frame made with older ones.
  Picture get(int frame, Kind kind, bool stale = true) {
    return look_up(frame, kind, stale, false);
  }
  // Asks for frames that will be shown soon.
  void prefetch(const std::vector<int>& frames);

 signals:
  void ready(int frame);
  void failed(int frame, const QString& why);

 private:
  struct Key {
    int frame;
    Kind kind;
    auto operator<=>(const Key&) const = default;
  };
  // What a picture is made from: equal recipes give equal pictures.
  struct Asked {
    FilmRecipe recipe;  // without lenses, which its sources and look decide
    QSize most;         // of pixels, for what is made from proxies
    bool operator==(const Asked&) const = default;
  };
  struct Made {
    Picture picture;
    Asked asked;
    quint64 version;  // when it was seen to be what is asked for
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
  Picture look_up(int frame, Kind kind, bool stale, bool ahead);
  void ask(Request request);
  void dispatch();  // starts what is wanted most while a thread is free
  void start(const Request& request);
  void finished(Key key, const Order& order, Picture picture, const QString& why);

  Session& session_;
  QThreadPool pool_;
  std::map<Key, Made> made_;
  std::map<Kind, std::list<Key>> recent_;  // used last first
  std::set<Key> running_, wanted_;
  std::list<Request> waiting_;  // the newest first; pictures in large before thumbnails
  std::shared_ptr<std::atomic<bool>> alive_;
  Rect part_;
  QSize most_;
  quint64 view_ = 0;   // another part or size
  quint64 epoch_ = 0;  // another shoot
};

}  // namespace tsukimi::app
