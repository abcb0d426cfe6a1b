// SPDX-License-Identifier: GPL-3.0-or-later
#include "sky/star_tracks.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "base/solve.h"
#include "sky/star_places.h"

namespace tsukimi {
namespace {

constexpr int kUnseen = 3;          // frames over which one is still waited for
constexpr double kJitter = 0.0015;  // widths: by which it may be off where it should be
constexpr double kLongestLens =
    3;  // widths: of a longer one stars may move farther than looked for
constexpr double kMostJump = 0.012;  // widths: farther from frame to frame they are mixed up

struct Follower {
  StarTrack track;
  Point at;               // where it was last, in widths
  double vx = 0, vy = 0;  // widths per second
  double time = 0;
  bool moving = false;  // its way is known
};

// Points of a frame in cells, to look for the nearest.
class Cells {
 public:
  Cells(const std::vector<Point>& points, double reach) : points_(points) {
    side_ = std::clamp(static_cast<int>(1 / std::max(reach, 0.004)), 1, 256);
    of_.resize(static_cast<std::size_t>(side_) * side_);
    for (std::size_t i = 0; i < points.size(); ++i)
      of_[cell(column(points[i].x), column(points[i].y))].push_back(static_cast<int>(i));
  }
  // -1: none within reach.
  int nearest(Point p, double reach) const {
    int best = -1;
    double least = reach * reach;
    const int cx = column(p.x), cy = column(p.y), by = static_cast<int>(std::ceil(reach * side_));
    for (int y = std::max(cy - by, 0); y <= std::min(cy + by, side_ - 1); ++y)
      for (int x = std::max(cx - by, 0); x <= std::min(cx + by, side_ - 1); ++x)
        for (int i : of_[cell(x, y)]) {
          const Point& q = points_[static_cast<std::size_t>(i)];
          const double d = (q.x - p.x) * (q.x - p.x) + (q.y - p.y) * (q.y - p.y);
          if (d < least) least = d, best = i;
        }
    return best;
  }

 private:
  int column(double v) const { return std::clamp(static_cast<int>(v * side_), 0, side_ - 1); }
  std::size_t cell(int x, int y) const { return static_cast<std::size_t>(y) * side_ + x; }
  const std::vector<Point>& points_;
  int side_;
  std::vector<std::vector<int>> of_;
};

Point expected(const Follower& f, double time) {
  const double dt = f.moving ? time - f.time : 0;
  return {f.at.x + f.vx * dt, f.at.y + f.vy * dt};
}

double reach_of(const Follower& f, double time) {
  const double dt = std::fabs(time - f.time);
  if (f.moving) return kJitter + 0.1 * std::hypot(f.vx, f.vy) * dt;
  return std::min(kJitter + kSkyRate * dt * kLongestLens, kMostJump);
}

void go_on(Follower& f, int frame, double time, Point at, Point on_frame) {
  const double dt = time - f.time;
  if (dt > 0) {
    const double vx = (at.x - f.at.x) / dt, vy = (at.y - f.at.y) / dt;
    const double share = f.moving ? 0.3 : 1;  // places are not exact
    f.vx += share * (vx - f.vx), f.vy += share * (vy - f.vy);
    f.moving = true;
  }
  f.at = at, f.time = time;
  f.track.seen.push_back({frame, on_frame});
}

}  // namespace

std::vector<StarTrack> follow_stars(const std::vector<StarFrame>& frames, double aspect) {
  constexpr std::size_t kFewest = 3;
  std::vector<Follower> active;
  std::vector<StarTrack> out;
  auto end = [&](Follower& f) {
    if (f.track.seen.size() >= kFewest) out.push_back(std::move(f.track));
  };
  for (std::size_t k = 0; k < frames.size(); ++k) {
    const StarFrame& frame = frames[k];
    if (!frame.same_camera) continue;
    std::vector<Point> points;
    for (const SeenStar& s : frame.stars) points.push_back({s.at.x, s.at.y / aspect});
    double farthest = kJitter;
    for (const Follower& f : active) farthest = std::max(farthest, reach_of(f, frame.time));
    const Cells cells(points, farthest);
    std::vector<Point> places;
    for (const Follower& f : active) places.push_back(expected(f, frame.time));
    const Cells wanted(places, farthest);
    std::vector<char> taken(points.size(), 0);
    for (std::size_t a = 0; a < active.size(); ++a) {
      Follower& f = active[a];
      const int near = cells.nearest(places[a], reach_of(f, frame.time));
      if (near < 0 || taken[static_cast<std::size_t>(near)]) continue;
      const Point at = points[static_cast<std::size_t>(near)];
      if (wanted.nearest(at, farthest) != static_cast<int>(a)) continue;
      taken[static_cast<std::size_t>(near)] = 1;
      go_on(f, static_cast<int>(k), frame.time, at, frame.stars[static_cast<std::size_t>(near)].at);
    }
    std::erase_if(active, [&](Follower& f) {
      const bool gone = static_cast<int>(k) - f.track.seen.back().frame > kUnseen;
      if (gone) end(f);
      return gone;
    });
    for (std::size_t i = 0; i < points.size(); ++i) {
      if (taken[i]) continue;
      Follower f;
      f.at = points[i], f.time = frame.time;
      f.track.seen.push_back({static_cast<int>(k), frame.stars[i].at});
      active.push_back(std::move(f));
    }
  }
  for (Follower& f : active) end(f);
  return out;
}

namespace {

constexpr std::size_t kFewestOfAStar = 5;  // places

// By how much each place is off a parabola over time, in widths.
std::vector<Point> off_parabola(const StarTrack& t, const std::vector<StarFrame>& frames,
                                double aspect) {
  auto time = [&](const StarTrack::Seen& s) {
    return frames[static_cast<std::size_t>(s.frame)].time;
  };
  const double begin = time(t.seen.front()), length = std::max(time(t.seen.back()) - begin, 1e-3);
  std::array<std::array<double, 3>, 3> normal{};
  std::array<double, 3> right_x{}, right_y{};
  auto powers = [&](const StarTrack::Seen& s) {
    const double u = (time(s) - begin) / length;
    return std::array<double, 3>{1, u, u * u};
  };
  for (const auto& s : t.seen) {
    const auto p = powers(s);
    for (std::size_t i = 0; i < 3; ++i) {
      right_x[i] += p[i] * s.at.x, right_y[i] += p[i] * s.at.y / aspect;
      for (std::size_t j = 0; j < 3; ++j) normal[i][j] += p[i] * p[j];
    }
  }
  const auto x = solve(normal, right_x, 0), y = solve(normal, right_y, 0);
  std::vector<Point> out;
  for (const auto& s : t.seen) {
    const auto p = powers(s);
    out.push_back({s.at.x - (p[0] * x[0] + p[1] * x[1] + p[2] * x[2]),
                   s.at.y / aspect - (p[0] * y[0] + p[1] * y[1] + p[2] * y[2])});
  }
  return out;
}

}  // namespace

void take_out_shaking(std::vector<StarTrack>& tracks, const std::vector<StarFrame>& frames,
                      double aspect) {
  constexpr int kRounds = 3;
  constexpr std::size_t kFewest = 8;  // tracks that a frame's movement is told from
  for (int round = 0; round < kRounds; ++round) {
    std::vector<std::vector<double>> across(frames.size()), down(frames.size());
    for (const StarTrack& t : tracks) {
      if (t.seen.size() < kFewestOfAStar) continue;
      const auto off = off_parabola(t, frames, aspect);
      for (std::size_t i = 0; i < off.size(); ++i) {
        across[static_cast<std::size_t>(t.seen[i].frame)].push_back(off[i].x);
        down[static_cast<std::size_t>(t.seen[i].frame)].push_back(off[i].y);
      }
    }
    for (StarTrack& t : tracks)
      for (auto& s : t.seen) {
        const auto k = static_cast<std::size_t>(s.frame);
        if (across[k].size() < kFewest) continue;
        s.at.x -= median(across[k]), s.at.y -= median(down[k]) * aspect;
      }
  }
}

bool goes_as_a_star(const StarTrack& t, const std::vector<StarFrame>& frames, double aspect,
                    double exact) {
  constexpr double kWay = 5;  // times what it is off
  if (t.seen.size() < std::min(kFewestOfAStar, frames.size())) return false;
  double squares = 0;
  for (const Point& off : off_parabola(t, frames, aspect)) squares += off.x * off.x + off.y * off.y;
  // Of what is free to be off: a parabola takes six numbers of them.
  const double free = 2 * static_cast<double>(t.seen.size()) - 6;
  const double off = std::sqrt(squares / std::max(free, 1.0));
  return off < exact && way_of(t, aspect) > kWay * off;
}

double way_of(const StarTrack& t, double aspect) {
  const Point a = t.seen.front().at, b = t.seen.back().at;
  return std::hypot(b.x - a.x, (b.y - a.y) / aspect);
}

}  // namespace tsukimi
