// SPDX-License-Identifier: GPL-3.0-or-later
// Trails for the screen, from proxies: what frames have left is kept every so many frames, so that
// any frame of a long film is there after a few.
#pragma once

#include <map>
#include <mutex>

#include "film/trails.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// Recipes of all frames of a film in the order in which its trails grow, of one size.
struct TrailFilm {
  std::vector<FilmRecipe> recipes;  // linked
  std::optional<FilmRecipe> ground;
  Size size;
  bool falls_back = false;
  int place(int number) const {
    return falls_back ? static_cast<int>(recipes.size()) - 1 - number : number;
  }
};
// size: of the pictures, of the film's shape.
TrailFilm trail_film(const Shoot& shoot, const Courses& courses, const LightPlan& light, Size size);

// Any function from any thread.
class TrailPreview {
 public:
  static constexpr int kEvery = 8;  // frames

  // Whether what comes before the frame can be had without going through more than the frames since
  // the last that is kept.
  bool is_near(const TrailFilm& film, int number) const;
  // Goes through all frames before that one and keeps what is needed. Fails when it is cancelled.
  Result<void> prepare(const TrailFilm& film, int number, ProxyStore& store, const Work& work);
  // What all frames before that one have left: to show it (TrailState::show), or a picture of
  // another size (show_over).
  Result<TrailState> before(const TrailFilm& film, int number, ProxyStore& store);

 private:
  std::shared_ptr<const TrailState> kept(const TrailFilm& film, int place) const;
  void keep(const TrailFilm& film, int place, const TrailState& state);
  Result<void> show(TrailState& state, const TrailFilm& film, int place, ProxyStore& store) const;

  mutable std::mutex mutex_;
  struct Kept {
    std::shared_ptr<const TrailState> state;
    std::uint64_t used = 0;
  };
  mutable std::map<std::string, Kept> kept_;  // by what is in it, and its size
  mutable std::uint64_t uses_ = 0;
  std::string ground_of_;
  std::shared_ptr<const Image> ground_;
};

}  // namespace tsukimi
