// SPDX-License-Identifier: GPL-3.0-or-later
#include "light/flicker.h"

#include <algorithm>
#include <cmath>

#include "base/median.h"
#include "base/parallel.h"
#include "light/bands.h"
#include "light/frame_fit.h"
#include "light/parts.h"

namespace tsukimi {
namespace {

// The mean of the steady cells' own courses, of those that are known in nearly all frames if there
// are enough.
std::vector<double> mean_course(const CellCourses& cells) {
  constexpr double kEnough = 0.1;  // of the weight
  double all = 0, whole = 0;
  for (int k = 0; k < cells.count(); ++k)
    all += cells.steady(k), whole += cells.whole(k) ? cells.steady(k) : 0;
  const bool only_whole = whole > kEnough * all;
  std::vector<double> out(static_cast<std::size_t>(cells.frames()), 0.0);
  parallel_ranges(cells.frames(), 16, [&](int first, int last) {
    for (int f = first; f < last; ++f) {
      double sum = 0;
      for (int k = 0; k < cells.count(); ++k)
        if (!only_whole || cells.whole(k))
          sum += static_cast<double>(cells.steady(k)) * cells.own(f, k);
      out[f] = sum / (only_whole ? whole : all);
    }
  });
  return out;
}

// The shapes that are sought in all frames, and their stops at every cell.
struct Shapes {
  std::vector<FlickerShape> of;
  ShapesAtCells at;

  void add(const CellCourses& cells, FlickerKind kind, GainField field) {
    at.push_back(at_cells(cells, field));
    of.push_back({kind, std::move(field), {}});
  }
};

Shapes find_shapes(const CellCourses& cells, bool eager) {
  Shapes out;
  if (auto wave = find_bands(cells, eager))
    for (const bool sine : {true, false}) {
      GainField field;
      field.wave = *wave;
      (sine ? field.wave.sine : field.wave.cosine) = 1;
      out.add(cells, FlickerKind::bands, std::move(field));
    }
  for (GainField& part : find_parts(cells, out.at, eager))
    out.add(cells, FlickerKind::part, std::move(part));
  return out;
}

// The error of a weighted mean, in the frame in the middle.
double noise_of(const CellCourses& cells, const std::vector<FrameFit>& fits) {
  std::vector<double> errors;
  for (std::size_t f = 0; f < fits.size(); ++f) {
    double weight = 0;
    for (int k = 0; k < cells.count(); ++k)
      if (cells.known(static_cast<int>(f), k)) weight += cells.steady(k);
    if (weight * fits[f].agreement > 0) errors.push_back(1 / std::sqrt(weight * fits[f].agreement));
  }
  return median(std::move(errors));
}

// Amounts that stand far out are events, and stay.
void set_amounts(Shapes& shapes, const std::vector<FrameFit>& fits) {
  constexpr double kEvent = 5;  // robust sigmas
  for (std::size_t s = 0; s < shapes.of.size(); ++s) {
    std::vector<double> sizes;
    for (const FrameFit& fit : fits) sizes.push_back(std::fabs(fit.amounts[s]));
    const double most = kEvent * kSigmaPerMad * median(std::move(sizes));
    for (const FrameFit& fit : fits)
      shapes.of[s].amounts.push_back(std::fabs(fit.amounts[s]) < most ? fit.amounts[s] : 0);
  }
}

}  // namespace

void remove_shapes(CellLight& cells, const std::vector<FlickerShape>& shapes) {
  for (const FlickerShape& shape : shapes) {
    std::vector<float> values(CellLight::kCells);
    for (int c = 0; c < CellLight::kCells; ++c) values[c] = mean_in_cell(shape.field, c);
    for (int f = 0; f < cells.frames; ++f) {
      float* stops = cells.stops.data() + static_cast<std::size_t>(f) * CellLight::kCells;
      const auto amount = static_cast<float>(shape.amounts[f]);
      for (int c = 0; c < CellLight::kCells; ++c) stops[c] -= amount * values[c];
    }
  }
}

Flicker find_flicker(const CellLight& light, const std::vector<double>& axis,
                     const std::vector<double>& stair, Uneven uneven) {
  Flicker out;
  const auto n = static_cast<std::size_t>(light.frames);
  if (light.frames < kFewestForFlicker) return out;
  CellCourses cells(light, axis, stair);
  if (cells.count() == 0) return out;
  // Frames that stand apart, and cells that do in a frame, are known a little better each time.
  constexpr int kPasses = 3, kLookForShapes = 1;
  std::vector<double> weight(n, 1.0);
  std::vector<FrameFit> fits;
  Shapes shapes;
  for (int pass = 0; pass < kPasses; ++pass) {
    cells.smooth(weight);
    cells.find_scales();
    if (pass == kLookForShapes && uneven != Uneven::off)
      shapes = find_shapes(cells, uneven == Uneven::on);
    fits = fit_frames(cells, shapes.at);
    out.course = mean_course(cells);
    for (std::size_t f = 0; f < n; ++f) out.course[f] += fits[f].stops;
    weight = isolated_frames(axis, out.course).weight;
    cells.fill_apart([&](int f, float* common) { fits[f].common(shapes.at, cells.row(), common); });
  }
  for (const FrameFit& fit : fits) out.agreement.push_back(fit.agreement);
  out.noise = noise_of(cells, fits);
  out.steady.assign(CellLight::kCells, 0.0f);
  for (int k = 0; k < cells.count(); ++k) out.steady[cells.cell(k)] = cells.steady(k);
  set_amounts(shapes, fits);
  out.shapes = std::move(shapes.of);
  return out;
}

}  // namespace tsukimi
