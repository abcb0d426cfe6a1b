// SPDX-License-Identifier: GPL-3.0-or-later
#include "find_repairs/find_repairs.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "base/median.h"
#include "document/files/repairs_json.h"

namespace tsukimi {
namespace {

constexpr double kTryMore = 0.3;  // stops of misfit, from which on several sources are tried
constexpr int kSamples = 7;       // frames that are looked at for a source

// Square roots of light: their noise is even, and dark and bright count alike.
struct Sample {
  int width = 0, height = 0;
  Image roots;
};

std::vector<Sample> samples_of(const Shoot& shoot, ProxyStore& store, const Work& work) {
  std::vector<int> usable;
  for (int i = 0; i < shoot.frame_count(); ++i)
    if (shoot.sequence.frames[static_cast<std::size_t>(i)].usable()) usable.push_back(i);
  std::vector<Sample> out;
  const int count = static_cast<int>(usable.size()), most = std::min(kSamples, count);
  for (int k = 0; k < most && !work.stop(); ++k) {
    const int frame = usable[static_cast<std::size_t>((2 * k + 1) * count / (2 * most))];
    const auto proxy = store.get(shoot.sequence.frames[static_cast<std::size_t>(frame)]);
    if (!proxy) continue;
    Sample sample{(*proxy)->width, (*proxy)->height, unpack(**proxy)};
    for (Plane& p : sample.roots.planes)
      for (float& v : p.data) v = std::sqrt(std::max(v, 0.0f));
    if (out.empty() || (sample.width == out[0].width && sample.height == out[0].height))
      out.push_back(std::move(sample));
  }
  return out;
}

struct Places {
  std::vector<std::pair<int, int>> border, inside;
  int x0 = 1 << 20, y0 = 1 << 20, x1 = 0, y1 = 0;
};

// Pixels of the region, and those just outside of it.
Places places_of(const std::vector<Point>& polygon, int w, int h) {
  std::vector<Point> pixels;
  for (const Point& p : polygon) pixels.push_back({p.x * w, p.y * h});
  Places out;
  const Bounds b = bounds_of(pixels);
  const int pad = std::max(2, static_cast<int>(0.25 * std::max(b.width(), b.height())) + 1);
  out.x0 = std::max(0, static_cast<int>(b.left) - pad),
  out.x1 = std::min(w, static_cast<int>(b.right) + pad + 1);
  out.y0 = std::max(0, static_cast<int>(b.top) - pad),
  out.y1 = std::min(h, static_cast<int>(b.bottom) + pad + 1);
  for (int y = out.y0; y < out.y1; ++y)
    for (int x = out.x0; x < out.x1; ++x)
      (is_inside(pixels, x + 0.5, y + 0.5) ? out.inside : out.border).emplace_back(x, y);
  return out;
}

// How unlike the border of the one place is to that of the other, in all frames: their difference
// but for one step of light, and that step by a little. Lower is better.
double unlike(const std::vector<Sample>& samples, const std::vector<std::pair<int, int>>& border,
              int dx, int dy) {
  double out = 0;
  for (const Sample& sample : samples) {
    double sum = 0, squares = 0;
    for (const auto& [x, y] : border)
      for (const Plane& p : sample.roots.planes) {
        const double d = p.at(x, y) - p.at(x + dx, y + dy);
        sum += d;
        squares += d * d;
      }
    const double n = 3.0 * static_cast<double>(border.size()), mean = sum / n;
    out += squares / n - 0.8 * mean * mean;
  }
  return out;
}

// How far the light of parts of the border is off, in the mean over the frames, all round as much
// as most of them: stops. Texture that differs within a part is no matter.
// offset(x, y): of what covers a place.
template <typename Offset>
double misfit_of(const std::vector<Sample>& samples, const std::vector<std::pair<int, int>>& border,
                 const Offset& offset) {
  constexpr int kParts = 16;
  double mx = 0, my = 0;
  for (const auto& [x, y] : border) mx += x, my += y;
  mx /= static_cast<double>(border.size()), my /= static_cast<double>(border.size());
  double here[kParts]{}, there[kParts]{};
  for (const auto& [x, y] : border) {
    const double turn = std::atan2(y - my, x - mx) / (2 * std::numbers::pi) + 1;
    const auto part = static_cast<std::size_t>(turn * kParts) % kParts;
    const PixelOffset by = offset(x, y);
    const int from_x = x + by.dx, from_y = y + by.dy;
    if (from_x < 0 || from_y < 0 || from_x >= samples[0].width || from_y >= samples[0].height)
      continue;
    for (const Sample& sample : samples)
      for (const Plane& p : sample.roots.planes) {
        here[part] += p.at(x, y) * p.at(x, y);
        there[part] += p.at(from_x, from_y) * p.at(from_x, from_y);
      }
  }
  std::vector<double> off;
  for (int k = 0; k < kParts; ++k)
    if (here[k] > 0 && there[k] > 0) off.push_back(std::log2(here[k] / there[k]));
  const double usual = median(off);
  double squares = 0;
  for (double v : off) squares += (v - usual) * (v - usual);
  return off.empty() ? 0 : std::sqrt(squares / static_cast<double>(off.size()));
}

}  // namespace

std::vector<Point> circle(const Point& middle, double radius, double aspect) {
  std::vector<Point> out;
  constexpr int kCorners = 24;
  for (int i = 0; i < kCorners; ++i) {
    const double a = 2 * std::numbers::pi * i / kCorners;
    out.push_back({middle.x + radius * std::cos(a), middle.y + radius * aspect * std::sin(a)});
  }
  return out;
}

std::vector<DustFrame> dust_frames(const Shoot& shoot, ProxyStore& store) {
  std::vector<DustFrame> out;
  for (const FrameInfo& f : shoot.sequence.frames)
    if (f.usable()) out.push_back({f.aperture, [&store, &f] { return store.get(f); }});
  return out;
}

namespace {

struct Tried {
  double cost = 1e30;
  PixelOffset offset;
};

// Every offset that can be, coarsely, and then round the best ones; the best first.
template <typename Can, typename Cost>
std::vector<Tried> search(int far, int step, const Can& can, const Cost& cost, const Work& work) {
  constexpr std::size_t kRefined = 4;
  std::vector<Tried> tried;
  for (int dy = -far; dy <= far && !work.stop(); dy += step)
    for (int dx = -far; dx <= far; dx += step)
      if (can(dx, dy)) tried.push_back({cost(dx, dy), {dx, dy}});
  std::ranges::sort(tried, {}, &Tried::cost);
  for (std::size_t k = 0; k < std::min(tried.size(), kRefined) && step > 1; ++k) {
    const PixelOffset about = tried[k].offset;
    for (int dy = about.dy - step; dy <= about.dy + step; ++dy)
      for (int dx = about.dx - step; dx <= about.dx + step; ++dx)
        if (can(dx, dy))
          if (const double c = cost(dx, dy); c < tried[k].cost) tried[k] = {c, {dx, dy}};
  }
  std::ranges::sort(tried, {}, &Tried::cost);
  return tried;
}

// A few hundred places tell as much as all of them.
std::vector<std::pair<int, int>> thinned(const std::vector<std::pair<int, int>>& of,
                                         std::size_t most) {
  const std::size_t every = std::max<std::size_t>(1, of.size() / most);
  std::vector<std::pair<int, int>> out;
  for (std::size_t i = 0; i < of.size(); i += every) out.push_back(of[i]);
  return out;
}

// Of two that are alike the nearer one: light runs over a picture.
double with_distance(double cost, int dx, int dy, int far) {
  return cost * (1 + 0.5 * std::hypot(dx, dy) / far) + 1e-9;
}

// Offsets that fit parts of the border, for each eighth of the way round: two that can cover all of
// the area that lies towards it, and one for what lies next to the border.
void add_offsets_by_part(const std::vector<Sample>& samples, const std::vector<Point>& polygon,
                         const Places& places, std::vector<PixelOffset>& offsets,
                         const Work& work) {
  constexpr std::size_t kParts = 8;
  const int w = samples[0].width, h = samples[0].height;
  std::vector<Point> pixels;
  for (const Point& p : polygon) pixels.push_back({p.x * w, p.y * h});
  const int bw = places.x1 - places.x0, bh = places.y1 - places.y0,
            far = std::max(2 * std::max(bw, bh), w / 8), apart = std::max(4, std::min(bw, bh) / 12);
  const double mx = 0.5 * (places.x0 + places.x1), my = 0.5 * (places.y0 + places.y1);
  using Pixels = std::vector<std::pair<int, int>>;
  std::array<Pixels, kParts> border, inside;
  auto sort = [&](const Pixels& all, std::array<Pixels, kParts>& into) {
    for (const auto& [x, y] : all) {
      const double turn =
          std::atan2((y + 0.5 - my) / bh, (x + 0.5 - mx) / bw) / (2 * std::numbers::pi);
      into[static_cast<std::size_t>((turn + 1) * kParts) % kParts].emplace_back(x, y);
    }
  };
  sort(places.border, border);
  sort(places.inside, inside);
  auto add = [&](const Pixels& compared, const Pixels& covered, std::size_t most) {
    auto free = [&](int dx, int dy, const auto& p) {
      const int x = p.first + dx, y = p.second + dy;
      return x >= 0 && y >= 0 && x < w && y < h && !is_inside(pixels, x + 0.5, y + 0.5);
    };
    auto can = [&](int dx, int dy) {
      if (std::abs(dx) < apart && std::abs(dy) < apart) return false;
      const auto is_free = [&](const auto& p) { return free(dx, dy, p); };
      return std::ranges::all_of(compared, is_free) && std::ranges::all_of(covered, is_free);
    };
    const auto tried = search(
        far, std::max(2, apart / 2), can,
        [&](int dx, int dy) {
          return with_distance(unlike(samples, compared, dx, dy), dx, dy, far);
        },
        work);
    std::size_t taken = 0;
    for (const Tried& t : tried) {
      if (taken == most) return;
      const bool known = std::ranges::any_of(offsets, [&](const PixelOffset& o) {
        return std::hypot(o.dx - t.offset.dx, o.dy - t.offset.dy) < apart;
      });
      if (known) continue;
      offsets.push_back(t.offset);
      ++taken;
    }
  };
  for (std::size_t k = 0; k < kParts; ++k) {
    if (border[k].empty()) continue;
    const auto compared = thinned(border[k], 80);
    add(compared, thinned(inside[k], 40), 2);
    add(compared, {}, 1);
  }
}

// What covers a part of the picture.
struct CoverSource {
  Point source;  // where its middle is taken from
  Quilt quilt;   // of what no single source fits
  double misfit = 0;
};

Result<CoverSource> find_cover(const std::vector<Sample>& samples,
                               const std::vector<Point>& polygon, bool may_be_quilt,
                               const Work& work) {
  const int w = samples[0].width, h = samples[0].height;
  const Places places = places_of(polygon, w, h);
  if (places.border.empty()) return fail("A repair covers all of the frame.");
  const auto border = thinned(places.border, 240);
  const int bw = places.x1 - places.x0, bh = places.y1 - places.y0;
  const int far = std::max(6 * std::max(bw, bh), w / 8);
  auto can = [&](int dx, int dy) {
    return places.x0 + dx >= 0 && places.x1 + dx <= w && places.y0 + dy >= 0 &&
           places.y1 + dy <= h && (std::abs(dx) >= bw || std::abs(dy) >= bh);
  };
  const auto tried = search(
      far, std::max(1, std::min(bw, bh) / 6), can,
      [&](int dx, int dy) { return with_distance(unlike(samples, border, dx, dy), dx, dy, far); },
      work);
  CoverSource out;
  std::vector<PixelOffset> offsets;
  if (!tried.empty()) {
    offsets.push_back(tried.front().offset);
    out.misfit = misfit_of(samples, border, [&](int, int) { return offsets.front(); });
  }
  const bool quilt =
      may_be_quilt && (may_need_quilt(polygon, {w, h}) || tried.empty() || out.misfit > kTryMore);
  if (quilt && !work.stop()) add_offsets_by_part(samples, polygon, places, offsets, work);
  const auto no_room = [] {
    return fail("There is no room beside a repair from which it could be covered.");
  };
  if (offsets.empty()) return no_room();
  const Point middle = middle_of(polygon);
  out.source = {std::clamp(middle.x + static_cast<double>(offsets[0].dx) / w, 0.0, 1.0),
                std::clamp(middle.y + static_cast<double>(offsets[0].dy) / h, 0.0, 1.0)};
  if (!quilt || work.stop()) return out;
  std::vector<Image> roots;
  for (const Sample& s : samples) roots.push_back(s.roots);
  out.quilt = choose_quilt(roots, polygon, offsets).quilt;
  if (!out.quilt.empty())
    out.misfit = misfit_of(samples, border, [&](int x, int y) {
      const Point by = offset_at(out.quilt, {(x + 0.5) / w, (y + 0.5) / h});
      return PixelOffset{static_cast<int>(std::lround(by.x * w)),
                         static_cast<int>(std::lround(by.y * h))};
    });
  if (tried.empty() && out.quilt.empty()) return no_room();
  return out;
}

}  // namespace

namespace {

// What covers it, and by how much that is off.
Result<double> cover_area(const std::vector<Sample>& samples, AreaRepair& area, const Work& work) {
  auto found = find_cover(samples, area.polygon, area.fill == FillFrom::around, work);
  if (!found) return tl::unexpected(found.error());
  area.source = found->source, area.quilt = std::move(found->quilt);
  return found->misfit;
}

Result<Covered> cover_spot(const Shoot& shoot, const std::vector<Sample>& samples, Repair repair,
                           const Work& work) {
  Covered out{std::move(repair), 0};
  SpotRepair& spot = *out.repair.spot();
  for (KeyFrame& k : spot.values.keys) {
    Values& v = k.values;
    if (!std::isnan(v[Param::spot_from_x])) continue;
    const auto round =
        circle({v[Param::spot_x], v[Param::spot_y]}, v[Param::spot_radius], aspect_of(shoot));
    const auto found = find_cover(samples, round, false, work);
    if (!found) return tl::unexpected(found.error());
    v[Param::spot_from_x] = found->source.x, v[Param::spot_from_y] = found->source.y;
    out.misfit = std::max(out.misfit, found->misfit);
    if (spot.is_keyed() || found->misfit < kTryMore || work.stop()) continue;
    // As an area it may be covered from several places.
    AreaRepair area;
    area.polygon = round;
    constexpr double kClearly = 0.6;  // it can move no longer
    const auto misfit = cover_area(samples, area, work);
    if (misfit && !area.quilt.empty() && *misfit <= kClearly * found->misfit)
      out.repair.what = std::move(area), out.misfit = *misfit;
    return out;
  }
  return out;
}

}  // namespace

Result<Covered> covered(const Shoot& shoot, ProxyStore& store, Repair repair, const Work& work) {
  const auto samples = samples_of(shoot, store, work);
  if (samples.empty()) return fail("No frame can be read in which something could cover it.");
  if (repair.spot()) return cover_spot(shoot, samples, std::move(repair), work);
  if (AreaRepair* area = repair.area()) {
    const auto misfit = cover_area(samples, *area, work);
    if (!misfit) return tl::unexpected(misfit.error());
    return Covered{std::move(repair), *misfit};
  }
  return Covered{std::move(repair), 0};
}

Result<void> complete_repairs(Shoot& shoot, ProxyStore& store, const Work& work,
                              std::vector<std::string>* notes) {
  for (std::size_t i = 0; i < shoot.decisions.repairs.size(); ++i) {
    Repair& r = shoot.decisions.repairs[i];
    work.report(static_cast<int>(i), static_cast<int>(shoot.decisions.repairs.size()));
    const Sequence& s = shoot.sequence;
    if (const AreaRepair* area = r.area(); area && area->is_from_time() &&
                                           s.place_of(area->first) == 0 &&
                                           s.place_of(area->last) == shoot.frame_count() - 1)
      return fail("Repair " + std::to_string(i + 1) +
                  " is on all frames: from time it needs some before or after, where it is not.");
    if (!is_incomplete(r)) continue;
    const std::string what = "repair " + std::to_string(i + 1);
    if (DustRepair* dust = r.dust()) {
      auto found =
          measure_shadow(dust_frames(shoot, store), dust->at, dust->shadows.front().radius, work);
      if (work.stop()) return fail("Cancelled.");
      if (found.empty())
        return fail("There is no shadow of dust where " + what + " says: give it a strength.");
      dust->shadows = std::move(found);
      continue;
    }
    auto found = covered(shoot, store, r, work);
    if (!found) return tl::unexpected(found.error());
    if (notes && found->repair.kind() != r.kind())
      notes->push_back("No single place is like what lies round " + what +
                       ": it became an area, covered from several.");
    r = std::move(found->repair);
    if (is_incomplete(r)) return fail("What lacks of " + what + " cannot be found: say it.");
    if (notes && found->misfit > kMisfit)
      notes->push_back("Nothing beside " + what +
                       " fits its border well: look at it, and give it another source.");
  }
  return {};
}

int add_dust(Shoot& shoot, const std::vector<DustSpot>& found) {
  const double aspect = aspect_of(shoot);
  int added = 0;
  for (const DustSpot& spot : found) {
    const bool there = std::ranges::any_of(shoot.decisions.repairs, [&](const Repair& r) {
      const DustRepair* dust = r.dust();
      return dust && std::hypot(dust->at.x - spot.at.x, (dust->at.y - spot.at.y) / aspect) <
                         2 * spot.radius();
    });
    if (there) continue;
    shoot.decisions.repairs.push_back({{DustRepair{spot.at, spot.shadows}}});
    ++added;
  }
  return added;
}

}  // namespace tsukimi
