#include "motion/moving_things.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <optional>

#include "base/median.h"

namespace tsukimi {
namespace {

constexpr float kLeastChange = 0.012f;  // of white, root mean square: what counts as changed

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
  if (d.channels() > 1) cv::transform(d, d, cv::Matx13f(1.0f / 3, 1.0f / 3, 1.0f / 3));
  cv::blur(d, d, {kAround, kAround});
  return d;
}

// b at p + (dx, dy).
cv::Mat shifted(const cv::Mat& b, float dx, float dy) {
  const cv::Mat by = (cv::Mat_<double>(2, 3) << 1, 0, dx, 0, 1, dy);
  cv::Mat out;
  cv::warpAffine(b, out, by, b.size(), cv::INTER_LINEAR | cv::WARP_INVERSE_MAP,
                 cv::BORDER_REPLICATE);
  return out;
}

// 0..1: where going that way explains it much better than standing still, and it has changed.
cv::Mat where(const cv::Mat& here, const cv::Mat& there, const cv::Mat& still, float dx, float dy) {
  const cv::Mat along = mean_square(here, shifted(there, dx, dy));
  cv::Mat out(here.size(), CV_32F);
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const float s = still.at<float>(y, x);
      const float left = along.at<float>(y, x) / (s + 1e-9f);
      const float px = static_cast<float>(x) + dx, py = static_cast<float>(y) + dy;
      const bool inside = px >= 0 && py >= 0 && px < static_cast<float>(out.cols) &&
                          py < static_cast<float>(out.rows);
      out.at<float>(y, x) = s > kLeastChange * kLeastChange && inside
                                ? std::clamp((0.45f - left) / 0.25f, 0.0f, 1.0f)
                                : 0.0f;
    }
  cv::medianBlur(out, out, 5);
  cv::GaussianBlur(out, out, {}, 1);
  return out;
}

// Without the specks that lie about: what is much smaller than the largest part.
cv::Mat whole_parts(const cv::Mat& in) {
  constexpr double kThere = 0.3, kShare = 0.1;
  const cv::Mat there = in > kThere;
  cv::Mat joined, labels, stats, middles;
  cv::dilate(there, joined, cv::getStructuringElement(cv::MORPH_RECT, {5, 5}));
  const int count = cv::connectedComponentsWithStats(joined, labels, stats, middles);
  int most = 0;
  for (int k = 1; k < count; ++k) most = std::max(most, stats.at<int>(k, cv::CC_STAT_AREA));
  cv::Mat out = in.clone();
  for (int y = 0; y < out.rows; ++y)
    for (int x = 0; x < out.cols; ++x) {
      const int k = labels.at<int>(y, x);
      if (k == 0 || stats.at<int>(k, cv::CC_STAT_AREA) < kShare * most) out.at<float>(y, x) = 0;
    }
  return out;
}

// Of a thing what is sure is changed where it was and where it is. A hull that is all of one colour
// has changed at one of them alone, as has what lies behind and before it: but that is within the
// length that the sure parts have along the way, or beyond it.
void take_the_rest(cv::Mat& in, const cv::Mat& rest, float dx, float dy) {
  constexpr float kThere = 0.3f, kBeyond = 4;
  const float way = std::hypot(dx, dy);
  auto along = [&](int x, int y) {
    return (static_cast<float>(x) * dx + static_cast<float>(y) * dy) / way;
  };
  float first = 1e9f, last = -1e9f;
  for (int y = 0; y < in.rows; ++y)
    for (int x = 0; x < in.cols; ++x)
      if (in.at<float>(y, x) > kThere)
        first = std::min(first, along(x, y)), last = std::max(last, along(x, y));
  for (int y = 0; y < in.rows; ++y)
    for (int x = 0; x < in.cols; ++x)
      if (along(x, y) > first - kBeyond && along(x, y) < last + kBeyond)
        in.at<float>(y, x) = std::max(in.at<float>(y, x), rest.at<float>(y, x));
}

double likeness(const cv::Mat& a, const cv::Mat& b) {
  cv::Mat score;
  cv::matchTemplate(b, a, score, cv::TM_CCOEFF_NORMED);
  return score.at<float>(0, 0);
}

// Blocks that have changed and have a shape, each with the way on which it is found again.
std::vector<FoundBlock> votes_of(const cv::Mat& a, const cv::Mat& b) {
  constexpr int kBlock = 16, kStep = 8;
  constexpr double kLike = 0.85, kUnlike = 0.6;
  const cv::Size reach(a.cols / 6, a.rows / 16);
  const cv::Mat change = mean_square(a, b);
  std::vector<FoundBlock> out;
  for (int y = 0; y + kBlock <= a.rows; y += kStep)
    for (int x = 0; x + kBlock <= a.cols; x += kStep) {
      const cv::Rect block(x, y, kBlock, kBlock);
      if (cv::mean(change(block))[0] < 2 * kLeastChange * kLeastChange) continue;
      cv::Scalar mean, spread;
      cv::meanStdDev(a(block), mean, spread);
      if (spread[0] < 2 * kLeastChange) continue;
      // Where it stood is something else now; soft things like clouds lie on themselves.
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

}  // namespace

std::vector<MovingThing> find_moving_things(const cv::Mat& colour_a, const cv::Mat& colour_b) {
  std::vector<MovingThing> out;
  cv::Mat a, b;
  cv::cvtColor(colour_a, a, cv::COLOR_RGB2GRAY);
  cv::cvtColor(colour_b, b, cv::COLOR_RGB2GRAY);
  cv::Mat half_a, half_b;
  cv::resize(a, half_a, {}, 0.5, 0.5, cv::INTER_AREA);
  cv::resize(b, half_b, {}, 0.5, 0.5, cv::INTER_AREA);
  std::vector<FoundBlock> votes = votes_of(half_a, half_b);
  constexpr std::size_t kMost = 4, kFewest = 3;
  constexpr float kLeastWay = 8;  // pixels: dense flow follows what goes less far
  const cv::Mat still = mean_square(colour_a, colour_b);
  while (out.size() < kMost && votes.size() >= kFewest) {
    auto near = [](const FoundBlock& v, const FoundBlock& w) {
      return std::hypot(v.dx - w.dx, v.dy - w.dy) < 1.2f;
    };
    const FoundBlock* best = nullptr;
    std::size_t most = 0;
    for (const FoundBlock& v : votes) {
      const auto n = static_cast<std::size_t>(
          std::ranges::count_if(votes, [&](const FoundBlock& w) { return near(v, w); }));
      if (n > most) most = n, best = &v;
    }
    if (most < kFewest) break;
    const FoundBlock chosen = *best;
    // Finer, at the size of the flow.
    std::vector<double> xs, ys;
    cv::Mat about(a.size(), CV_32F, cv::Scalar(0));  // where its parts were found
    for (const FoundBlock& v : votes) {
      if (!near(chosen, v)) continue;
      constexpr int kRound = 56, kSide = 32 + 2 * kRound;
      about(cv::Rect(2 * v.block.x - kRound, 2 * v.block.y - kRound, kSide, kSide) &
            cv::Rect({}, a.size()))
          .setTo(1);
      constexpr int kBlock = 32;
      const cv::Rect block =
          cv::Rect(2 * v.block.x, 2 * v.block.y, kBlock, kBlock) & cv::Rect({}, a.size());
      if (block.width < kBlock || block.height < kBlock) continue;
      if (const auto way = found(a, b, block, {2 * v.dx, 2 * v.dy}, {4, 4}, 0.7))
        xs.push_back(way->x), ys.push_back(way->y);
    }
    std::erase_if(votes, [&](const FoundBlock& v) { return near(chosen, v); });
    if (xs.size() < kFewest) continue;
    MovingThing thing{static_cast<float>(median(xs)), static_cast<float>(median(ys)), {}, {}};
    if (std::hypot(thing.dx, thing.dy) < kLeastWay) continue;
    const cv::Mat in_a = cv::min(where(colour_a, colour_b, still, thing.dx, thing.dy), about),
                  in_b = where(colour_b, colour_a, still, -thing.dx, -thing.dy);
    // What is behind it may look alike everywhere: it has to be the thing in both.
    thing.in_a = whole_parts(cv::min(in_a, shifted(in_b, thing.dx, thing.dy)));
    const cv::Mat either = cv::max(still, shifted(still, thing.dx, thing.dy));
    take_the_rest(thing.in_a, cv::min(where(colour_a, colour_b, either, thing.dx, thing.dy), about),
                  thing.dx, thing.dy);
    thing.in_a = whole_parts(thing.in_a);
    thing.in_b = shifted(thing.in_a, -thing.dx, -thing.dy);
    out.push_back(std::move(thing));
  }
  return out;
}

}  // namespace tsukimi
