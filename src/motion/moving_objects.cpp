// SPDX-License-Identifier: GPL-3.0-or-later
#include "motion/moving_objects.h"

#include <algorithm>
#include <cmath>
#include <functional>
#include <iterator>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "base/median.h"
#include "motion/bilinear.h"
#include "motion/object_shape.h"

namespace tsukimi {
namespace {

struct FoundBlock {
  cv::Point block;
  float dx, dy;  // pixels of the half copies
};

// The place of the highest value, between pixels, by parabolas.
cv::Point2f peak_of(const cv::Mat& score, double* highest = nullptr) {
  cv::Point at;
  double most = 0;
  cv::minMaxLoc(score, nullptr, &most, nullptr, &at);
  if (highest) *highest = most;
  auto between = [](float below, float here, float above) {
    const float curve = below - 2 * here + above;
    return curve < 0 ? std::clamp(0.5f * (below - above) / curve, -0.5f, 0.5f) : 0.0f;
  };
  cv::Point2f out(static_cast<float>(at.x), static_cast<float>(at.y));
  if (at.x > 0 && at.x + 1 < score.cols)
    out.x += between(score.at<float>(at.y, at.x - 1), score.at<float>(at),
                     score.at<float>(at.y, at.x + 1));
  if (at.y > 0 && at.y + 1 < score.rows)
    out.y += between(score.at<float>(at.y - 1, at.x), score.at<float>(at),
                     score.at<float>(at.y + 1, at.x));
  return out;
}

// Where the block of a is found in b, within a reach about `way`.
std::optional<cv::Point2f> found(const cv::Mat& a, const cv::Mat& b, const cv::Rect& block,
                                 cv::Point2f way, cv::Size reach, double least) {
  const cv::Point from(block.x + static_cast<int>(std::lround(way.x)) - reach.width,
                       block.y + static_cast<int>(std::lround(way.y)) - reach.height);
  const cv::Rect search =
      cv::Rect(from, cv::Size(block.width + 2 * reach.width, block.height + 2 * reach.height)) &
      cv::Rect({}, b.size());
  if (search.width < block.width || search.height < block.height) return {};
  cv::Mat score;
  cv::matchTemplate(b(search), a(block), score, cv::TM_CCOEFF_NORMED);
  double highest = 0;
  const cv::Point2f at = peak_of(score, &highest);
  if (highest < least) return {};
  return cv::Point2f(at.x + static_cast<float>(search.x - block.x),
                     at.y + static_cast<float>(search.y - block.y));
}

cv::Mat mean_square(const cv::Mat& a, const cv::Mat& b) {
  constexpr int kAround = 7;
  cv::Mat d = a - b;
  d = d.mul(d);
  cv::blur(d, d, {kAround, kAround});
  return d;
}

double likeness(const cv::Mat& a, const cv::Mat& b) {
  cv::Mat score;
  cv::matchTemplate(b, a, score, cv::TM_CCOEFF_NORMED);
  return score.at<float>(0, 0);
}

// Blocks that have changed and have a shape, each with the way on which it is found again.
std::vector<FoundBlock> votes_of(const cv::Mat& a, const cv::Mat& b) {
  constexpr int kBlock = 16, kStep = 8;
  constexpr double kLike = 0.75, kUnlike = 0.6;
  const cv::Size reach(a.cols / 6, a.rows / 16);
  const cv::Mat change = mean_square(a, b);
  // Of white, squared, from which a place has changed: noise, and light that goes on, as the
  // quieter part of the picture has it (a quarter of a squared normal variate lies below 0.1015).
  const float least = std::clamp(change_between(a, b, 0.25) / 0.1015f, 1e-5f, 1.5e-4f);
  std::vector<FoundBlock> out;
  for (int y = 0; y + kBlock <= a.rows; y += kStep)
    for (int x = 0; x + kBlock <= a.cols; x += kStep) {
      const cv::Rect block(x, y, kBlock, kBlock);
      if (cv::mean(change(block))[0] < 2 * least) continue;
      cv::Scalar mean, spread;
      cv::meanStdDev(a(block), mean, spread);
      if (spread[0] * spread[0] < 4 * least) continue;
      // Where it stood there is something else now; a soft one like a cloud still overlaps itself.
      if (likeness(a(block), b(block)) > kUnlike) continue;
      const auto way = found(a, b, block, {}, reach, kLike);
      if (!way || std::hypot(way->x, way->y) < 1.5) continue;
      // It is found back from there too.
      const cv::Rect there = block + cv::Point(static_cast<int>(std::lround(way->x)),
                                               static_cast<int>(std::lround(way->y)));
      if ((there & cv::Rect({}, b.size())) != there) continue;
      const auto back = found(b, a, there, {}, reach, kLike);
      if (!back || std::hypot(back->x + way->x, back->y + way->y) > 1.5) continue;
      out.push_back({{x, y}, way->x, way->y});
    }
  return out;
}

// Votes for one way, from parts that lie near each other.
using Votes = std::vector<FoundBlock>;

std::vector<Votes> clusters_of(Votes votes, int reach) {
  std::vector<Votes> out;
  while (!votes.empty()) {
    auto goes_with = [&](const FoundBlock& v, const FoundBlock& w) {
      return std::hypot(v.dx - w.dx, v.dy - w.dy) < 1.2f &&
             std::abs(v.block.x - w.block.x) <= reach && std::abs(v.block.y - w.block.y) <= reach;
    };
    const FoundBlock* best = nullptr;
    std::ptrdiff_t most = 0;
    for (const FoundBlock& v : votes) {
      const auto n =
          std::ranges::count_if(votes, [&](const FoundBlock& w) { return goes_with(v, w); });
      if (n > most) most = n, best = &v;
    }
    const FoundBlock chosen = *best;
    Votes cluster;
    std::ranges::copy_if(votes, std::back_inserter(cluster),
                         [&](const FoundBlock& w) { return goes_with(chosen, w); });
    std::erase_if(votes, [&](const FoundBlock& w) { return goes_with(chosen, w); });
    out.push_back(std::move(cluster));
  }
  return out;
}

// Larger where the shape ends at its border, but not beyond the picture's; false: nowhere.
bool grow(cv::Rect& about, const cv::Mat& shape, cv::Size picture) {
  constexpr int kMore = 96;
  auto touches = [&](const cv::Mat& side) { return cv::countNonZero(side > 0.5f) > 0; };
  const bool left = about.x > 0 && touches(shape.col(0)),
             right = about.br().x < picture.width && touches(shape.col(shape.cols - 1)),
             top = about.y > 0 && touches(shape.row(0)),
             bottom = about.br().y < picture.height && touches(shape.row(shape.rows - 1));
  about.x -= left ? kMore : 0, about.width += (left ? kMore : 0) + (right ? kMore : 0);
  about.y -= top ? kMore : 0, about.height += (top ? kMore : 0) + (bottom ? kMore : 0);
  return left || right || top || bottom;
}

// The object that the votes stand for, if there is one. a, b: luminance.
struct Candidate {
  MovingObject object;
  float gain;
};

std::optional<Candidate> candidate_of(const Votes& votes, const cv::Mat& a, const cv::Mat& b,
                                      const cv::Mat& colour_a, const cv::Mat& colour_b,
                                      const cv::Mat& followed) {
  constexpr int kBlock = 32, kRound = 64;
  constexpr float kLeastWay = 8;  // pixels: dense flow follows what goes less far
  std::vector<double> xs, ys;     // finer, at the size of the flow
  cv::Rect about;                 // where its parts were found
  for (const FoundBlock& v : votes) {
    const cv::Rect block =
        cv::Rect(2 * v.block.x, 2 * v.block.y, kBlock, kBlock) & cv::Rect({}, a.size());
    about |= block;
    if (const auto way = found(a, b, block, {2 * v.dx, 2 * v.dy}, {4, 4}, 0.7))
      xs.push_back(way->x), ys.push_back(way->y);
  }
  if (xs.empty()) return {};
  const cv::Point2f way(static_cast<float>(median(xs)), static_cast<float>(median(ys)));
  if (std::hypot(way.x, way.y) < kLeastWay) return {};
  about -= cv::Point(kRound, kRound);
  about += cv::Size(2 * kRound, 2 * kRound);
  ObjectShape shape = object_shape(colour_a, colour_b, followed, way, about);
  // In water some shape fits any way, but with a large misfit. Of one or two parts alone a smaller
  // one is asked for. In the units of ObjectShape::misfit: 0.5 is noise alone.
  constexpr float kMostMisfit = 1.8f, kMostMisfitOfFew = 0.7f;
  if (shape.misfit > (xs.size() < 3 ? kMostMisfitOfFew : kMostMisfit)) return {};
  // Only parts with structure were found (windows); the object may reach further than these.
  constexpr int kMoreTries = 3;
  constexpr float kAsWell = 0.15f;
  cv::Rect larger = about;
  for (int k = 0; k < kMoreTries && grow(larger, shape.mask, a.size()); ++k) {
    ObjectShape more = object_shape(colour_a, colour_b, followed, way, larger);
    if (more.misfit > shape.misfit + kAsWell) break;
    shape = std::move(more), about = larger;
  }
  // What dense flow follows as well is left to it: the larger, the better it does (clouds).
  constexpr float kLeastGain = 1000, kMostShare = 0.2f, kAsFollowed = 0.95f, kMoreIfLarge = 2;
  const auto share = static_cast<float>(cv::sum(shape.mask)[0]) / static_cast<float>(a.total());
  if (shape.gain < kLeastGain || share > kMostShare ||
      shape.misfit_followed < (kAsFollowed + kMoreIfLarge * share) * shape.misfit)
    return {};
  const float said = std::sqrt(static_cast<float>(votes.size()));
  return Candidate{{way, std::move(shape.mask), about.tl()}, shape.gain * said};
}

// The share of an object in the first picture that is part of the other one too.
float overlap(const MovingObject& object, const MovingObject& other) {
  float whole = 0, both = 0;
  for (int y = 0; y < object.shape.rows; ++y)
    for (int x = 0; x < object.shape.cols; ++x) {
      const float here = object.shape.at<float>(y, x);
      whole += here;
      both += std::min(here, other.at(static_cast<float>(x + object.corner.x),
                                      static_cast<float>(y + object.corner.y), 0));
    }
  return both / std::max(whole, 1.0f);
}

}  // namespace

float MovingObject::at(float x, float y, float share) const {
  const float px = x - share * way.x - static_cast<float>(corner.x),
              py = y - share * way.y - static_cast<float>(corner.y);
  if (px < 0 || py < 0 || px > static_cast<float>(shape.cols - 1) ||
      py > static_cast<float>(shape.rows - 1))
    return 0;
  return bilinear(shape, px, py);
}

std::vector<MovingObject> find_moving_objects(const cv::Mat& colour_a, const cv::Mat& colour_b,
                                              const cv::Mat& followed) {
  cv::Mat a, b, half_a, half_b;
  cv::cvtColor(colour_a, a, cv::COLOR_RGB2GRAY);
  cv::cvtColor(colour_b, b, cv::COLOR_RGB2GRAY);
  cv::resize(a, half_a, {}, 0.5, 0.5, cv::INTER_AREA);
  cv::resize(b, half_b, {}, 0.5, 0.5, cv::INTER_AREA);
  constexpr std::size_t kMostTried = 8;
  std::vector<Candidate> candidates;
  std::vector<Votes> clusters = clusters_of(votes_of(half_a, half_b), half_a.cols / 4);
  if (clusters.size() > kMostTried) clusters.resize(kMostTried);
  for (const Votes& votes : clusters)
    if (auto candidate = candidate_of(votes, a, b, colour_a, colour_b, followed))
      candidates.push_back(std::move(*candidate));
  // A row of windows fits on itself, one further: the way that explains most is the one.
  std::ranges::stable_sort(candidates, std::greater{}, &Candidate::gain);
  constexpr float kSame = 0.2f;
  std::vector<MovingObject> out;
  for (Candidate& c : candidates)
    if (out.size() < kMostObjects && std::ranges::none_of(out, [&](const MovingObject& object) {
          return overlap(c.object, object) > kSame;
        }))
      out.push_back(std::move(c.object));
  return out;
}

}  // namespace tsukimi
