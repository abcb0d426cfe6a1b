// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/moment.h"

#include <cmath>
#include <limits>

#include "base/text.h"
#include "camera/merge.h"
#include "camera/move_shot.h"

namespace tsukimi {
namespace {

Result<SensorFrame> read_shot(const std::filesystem::path& file, Wanted wanted) {
  switch (wanted) {
    case Wanted::light:
      return read_frame(file);
    case Wanted::proxy:
      return read_for_proxy(file);
    case Wanted::later:
      return read_to_wait(file);
  }
  return read_frame(file);
}

}  // namespace

double stops_apart(const FrameInfo& shot, const FrameInfo& other) {
  const bool same = shot.shutter > 0 && other.shutter > 0 && (shot.iso > 0) == (other.iso > 0) &&
                    (shot.aperture > 0) == (other.aperture > 0);
  return same ? exact_gain(shot) - exact_gain(other) : std::numeric_limits<double>::quiet_NaN();
}

std::vector<float> told_stops(const FrameInfo& frame) {
  std::vector<float> out;
  for (const FrameInfo& other : frame.others)
    out.push_back(static_cast<float>(stops_apart(other, frame) + frame.as_if));
  return out;
}

Result<SensorFrame> read_moment(const std::filesystem::path& folder, const FrameInfo& frame,
                                Wanted wanted, const MergeInfo& by, MergeInfo* measured) {
  if (!frame.is_merged()) return read_shot(folder / frame.file, wanted);
  // Merged they are at once: together they take no more than one of them does in floats.
  const Wanted each = wanted == Wanted::later ? Wanted::light : wanted;
  std::vector<MergeShot> shots;
  const std::vector<float> told = told_stops(frame);
  for (std::size_t s = 0; s <= frame.others.size(); ++s) {
    const FrameInfo& info = s == 0 ? frame : frame.others[s - 1];
    auto read = read_shot(folder / info.file, each);
    if (!read) return tl::unexpected(read.error());
    if (s > 0)
      if (auto ok = check_mergeable(shots.front().frame, *read); !ok)
        return fail(printable(info.file) + " " + ok.error().message + ".");
    shots.push_back(
        {std::move(*read), s == 0 ? 0.0 : static_cast<double>(told[s - 1]), iso_of(info)});
  }
  // The darkest is all there is where the others are clipped.
  std::size_t darkest = 0;
  for (std::size_t s = 1; s < shots.size(); ++s)
    if (told[s - 1] < (darkest > 0 ? told[darkest - 1] : 0.0f)) darkest = s;
  for (std::size_t s = 1; s < shots.size(); ++s)
    move_shot(shots[s].frame, frame.others[s - 1].dx, frame.others[s - 1].dy, s == darkest);
  const bool measure = by.stops.empty() || measured;
  MergeInfo found;
  if (measure) found.stops = measure_stops(shots);
  constexpr float kNear = 0.5f;  // stops: farther off it is the picture that changed
  for (std::size_t s = 1; s < shots.size(); ++s) {
    if (s <= by.stops.size())
      shots[s].stops = by.stops[s - 1];
    else if (std::isnan(told[s - 1]) || std::fabs(found.stops[s - 1] - told[s - 1]) < kNear)
      shots[s].stops = found.stops[s - 1];
    if (std::isnan(shots[s].stops))
      return fail(printable(frame.others[s - 1].file) +
                  " does not tell its exposure, and the picture does not tell it either.");
  }
  if (measure) found.moving = find_moving(shots);
  SensorFrame out = merge(std::move(shots), by.stops.empty() ? widened(found.moving) : by.moving);
  out.headroom += frame.as_if;
  if (measured) *measured = std::move(found);
  return out;
}

}  // namespace tsukimi
