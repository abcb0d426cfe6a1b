// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/steady_path.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <mutex>
#include <tuple>

#include "base/banded.h"
#include "base/median.h"

namespace tsukimi {
namespace {

constexpr std::size_t kParts = 4;
using Series = std::array<std::vector<double>, kParts>;  // dx, dy, angle, log_scale

Series series_of(const std::vector<Similarity>& moves) {
  Series out;
  for (const Similarity& m : moves) {
    const double values[] = {m.dx, m.dy, m.angle, m.log_scale};
    for (std::size_t v = 0; v < kParts; ++v) out[v].push_back(values[v]);
  }
  return out;
}

Similarity similarity_at(const Series& s, std::size_t i) {
  return {s[0][i], s[1][i], s[2][i], s[3][i]};
}

// A line through values at whole places, and how far they are from it.
struct Line {
  double at_zero = 0, squares = 0;
};
Line line_through(const std::vector<double>& v, std::size_t first, std::size_t count, double zero) {
  const auto n = static_cast<double>(count);
  const double middle = static_cast<double>(first) + (n - 1) / 2;
  double mean = 0, rise = 0, spread = 0;
  for (std::size_t i = first; i < first + count; ++i) mean += v[i] / n;
  for (std::size_t i = first; i < first + count; ++i) {
    const double x = static_cast<double>(i) - middle;
    rise += x * (v[i] - mean), spread += x * x;
  }
  const double slope = spread > 0 ? rise / spread : 0;
  Line out{mean + slope * (zero - middle), 0};
  for (std::size_t i = first; i < first + count; ++i) {
    const double off = v[i] - mean - slope * (static_cast<double>(i) - middle);
    out.squares += off * off;
  }
  return out;
}

struct Bump {
  std::size_t at = 0;     // the first value after it
  double certainty = 0;   // step over its standard error, less what that many values ask for
  double step[kParts]{};  // after less before
};

// Whether it happens between those two values alone, and stands out of what they do else: a pan
// goes on for several.
bool is_sudden(const Series& s, const Bump& b, std::size_t window) {
  constexpr std::size_t kNear = 3;
  constexpr double kClearly = 5, kShare = 0.2, kChance = 2;
  double away = 0, step = 0, noise = 0;
  for (std::size_t v = 0; v < 2; ++v) {
    std::vector<double> changes, near;
    for (std::size_t i = b.at - window + 1; i < b.at + window; ++i) {
      changes.push_back(s[v][i] - s[v][i - 1]);
      if (i != b.at && i + kNear >= b.at && i <= b.at + kNear) near.push_back(changes.back());
    }
    const double usual = median(changes), here = s[v][b.at] - s[v][b.at - 1] - median(near);
    for (double& c : changes) c = std::fabs(c - usual);
    noise = std::max(noise, kSigmaPerMad * median(changes));
    away += (here - b.step[v]) * (here - b.step[v]), step += b.step[v] * b.step[v];
  }
  return std::sqrt(step) > kClearly * noise &&
         std::sqrt(away) < kShare * std::sqrt(step) + kChance * noise;
}

// The step between two values by lines through `window` of them on either side.
Bump bump_at(const Series& s, std::size_t at, std::size_t window, double least_certainty) {
  Bump out{at, -1, {}};
  double step = 0, squares = 0;
  for (std::size_t v = 0; v < kParts; ++v) {
    const double zero = static_cast<double>(at) - 0.5;
    const Line a = line_through(s[v], at - window, window, zero),
               b = line_through(s[v], at, window, zero);
    out.step[v] = b.at_zero - a.at_zero;
    if (v > 1) continue;  // where it stands is measured best
    step += out.step[v] * out.step[v];
    squares += a.squares + b.squares;
  }
  constexpr double kFinestMeasured = 3e-5;  // widths: nothing is measured better
  const auto n = static_cast<double>(window);
  const double sigma = std::max(kFinestMeasured, std::sqrt(squares / (2 * (2 * n - 4))));
  out.certainty = std::sqrt(step) / (sigma * std::sqrt(8 / n)) - least_certainty;
  return out;
}

Bump surest_bump(const Series& s) {
  constexpr std::pair<std::size_t, double> kWindows[] = {
      {5, 14}, {8, 9}, {12, 7}, {24, 6}, {40, 6}};
  Bump best{0, 0, {}};
  for (const auto& [window, least] : kWindows)
    for (std::size_t i = window; i + window <= s[0].size(); ++i)
      if (const Bump b = bump_at(s, i, window, least);
          b.certainty > best.certainty && is_sudden(s, b, window))
        best = b;
  return best;
}

// Takes steps out, the surest first; where they were.
std::vector<std::size_t> take_out_bumps(Series& s) {
  constexpr int kMost = 40;
  std::vector<std::size_t> out;
  for (int k = 0; k < kMost; ++k) {
    const Bump b = surest_bump(s);
    if (b.certainty <= 0 || std::ranges::count(out, b.at)) break;
    for (std::size_t v = 0; v < kParts; ++v)
      for (std::size_t i = b.at; i < s[v].size(); ++i) s[v][i] -= b.step[v];
    out.push_back(b.at);
  }
  return out;
}

std::vector<std::size_t> counting(const std::vector<double>& counts) {
  std::vector<std::size_t> out;
  for (std::size_t i = 0; i < counts.size(); ++i)
    if (counts[i] > 0) out.push_back(i);
  return out;
}

Similarity midway(const std::vector<Similarity>& moves) {
  const Series s = series_of(moves);
  double middle[kParts];
  for (std::size_t v = 0; v < kParts; ++v) {
    const auto [least, most] = std::ranges::minmax(s[v]);
    middle[v] = (least + most) / 2;
  }
  return {middle[0], middle[1], middle[2], middle[3]};
}

std::vector<int> bumps_of(const std::vector<Similarity>& moves, const std::vector<double>& counts) {
  const auto known = counting(counts);
  std::vector<Similarity> there;
  for (std::size_t i : known) there.push_back(moves[i]);
  Series s = series_of(there);
  std::vector<int> out;
  for (std::size_t k : take_out_bumps(s)) out.push_back(static_cast<int>(known[k]));
  std::ranges::sort(out);
  return out;
}

std::vector<Similarity> path_of(const std::vector<Similarity>& moves,
                                const std::vector<double>& counts, Steadying how, double period) {
  const auto known = counting(counts);
  if (how == Steadying::off || known.size() < 2) return moves;
  std::vector<Similarity> there;
  for (std::size_t i : known) there.push_back(moves[i]);
  if (how == Steadying::hold) return std::vector<Similarity>(moves.size(), midway(there));
  Series s = series_of(there);
  take_out_bumps(s);
  std::vector<double> axis, given(known.size(), 1), weights = given, off(known.size());
  for (std::size_t i : known) axis.push_back(static_cast<double>(i));
  const double lambda = lambda_for_period(period);
  Series smooth;
  constexpr int kRounds = 4;
  constexpr double kLeastSpread = 1e-4;  // widths
  for (int round = 0; round < kRounds; ++round) {
    for (std::size_t v = 0; v < kParts; ++v) smooth[v] = whittaker(s[v], weights, lambda, axis);
    for (std::size_t i = 0; i < off.size(); ++i)
      off[i] = std::hypot(s[0][i] - smooth[0][i], s[1][i] - smooth[1][i]);
    // A frame that was shoved does not take the path along.
    tukey_weights(off, given, weights, kLeastSpread);
    for (double& w : weights) w = std::max(w, 1e-3);
  }
  std::vector<Similarity> out(moves.size());
  for (std::size_t k = 0; k < known.size(); ++k) out[known[k]] = similarity_at(smooth, k);
  // Frames that do not count go on with those before them.
  for (std::size_t i = 0; i < out.size(); ++i)
    if (!(counts[i] > 0)) out[i] = i > 0 ? out[i - 1] : out[known.front()];
  // Least is lost where the crop lies midway.
  std::vector<Similarity> apart;
  for (std::size_t i : known) apart.push_back(then(inverse(out[i]), moves[i]));
  const Similarity middle = midway(apart);
  for (Similarity& p : out) p = then(p, middle);
  return out;
}

// Whoever shows or makes a frame asks for the same of the whole sequence: the last few answers are
// remembered.
template <typename Answer, typename... Question>
class Remembered {
 public:
  template <typename Find>
  Answer get(const std::tuple<Question...>& question, const Find& find) {
    {
      const std::lock_guard lock(mutex_);
      for (const auto& [asked, answer] : known_)
        if (asked == question) return answer;
    }
    Answer answer = find();
    constexpr std::size_t kMost = 4;
    const std::lock_guard lock(mutex_);
    if (known_.size() == kMost) known_.pop_front();
    known_.emplace_back(question, answer);
    return answer;
  }

 private:
  std::mutex mutex_;
  std::deque<std::pair<std::tuple<Question...>, Answer>> known_;
};

}  // namespace

std::vector<int> find_bumps(const std::vector<Similarity>& moves,
                            const std::vector<double>& counts) {
  static Remembered<std::vector<int>, std::vector<Similarity>, std::vector<double>> known;
  return known.get({moves, counts}, [&] { return bumps_of(moves, counts); });
}

std::vector<Similarity> steady_path(const std::vector<Similarity>& moves,
                                    const std::vector<double>& counts, Steadying how,
                                    double period) {
  static Remembered<std::vector<Similarity>, std::vector<Similarity>, std::vector<double>,
                    Steadying, double>
      known;
  return known.get({moves, counts, how, period},
                   [&] { return path_of(moves, counts, how, period); });
}

}  // namespace tsukimi
