// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/develop.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "develop/demosaic.h"
#include "develop/hue_ring.h"
#include "develop/local_light.h"
#include "develop/mend.h"
#include "develop/noise.h"
#include "develop/oklab.h"
#include "develop/place_colours.h"
#include "develop/place_light.h"
#include "develop/place_tones.h"
#include "develop/placing.h"
#include "develop/split_tone.h"
#include "develop/tone_table.h"
#include "develop/veil.h"
#include "develop/vignette.h"
#include "develop/white_balance.h"
#include "develop/wide_range.h"
#include "image/orientation.h"

namespace tsukimi {
namespace {

Exposure exposure_of(const PictureRecipe& s) {
  return {s.look[Param::exposure] + s.light.stops, s.light.channel_stops};
}

// A placement without a size is all of the frame, as large as it is.
PictureRecipe sized(PictureRecipe r, Size all) {
  if (r.placement.size.width <= 0) r.placement = {Rect{}, all, r.placement.film};
  return r;
}

WhiteBalance balance_for(const CameraColour& colour, const Look& look) {
  return white_balance(colour, look[Param::temperature], look[Param::tint]);
}

// From light that lies below its clipping by the headroom of merged shots.
Exposure from_headroom(Exposure exposure, double headroom) {
  exposure.stops += headroom;
  return exposure;
}

// Tiles of a result, fn(tile) on one thread each.
template <typename Fn>
void in_tiles(Size size, int width, const Fn& fn) {
  constexpr int kRows = 64;
  const int across = (size.width + width - 1) / width, down = (size.height + kRows - 1) / kRows;
  parallel_ranges(across * down, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const int x = k % across * width, y = k / across * kRows;
      fn(Tile{x, y, std::min(size.width, x + width), std::min(size.height, y + kRows)});
    }
  });
}

// A crop of the upright frame, as it lies in the file.
Rect crop_in_file(Rect crop, int orientation) {
  const Point a = point_in_file({crop.x, crop.y}, orientation),
              b = point_in_file({crop.x + crop.w, crop.y + crop.h}, orientation);
  return {std::min(a.x, b.x), std::min(a.y, b.y), std::fabs(b.x - a.x), std::fabs(b.y - a.y)};
}

// The mosaic is interpolated tile by tile, just what each tile of the result needs, while it is in
// the cache: no colour picture of the whole sensor is ever made.
template <typename How>
Image cut_mosaic(const Mosaic& mosaic, const BeforeDemosaic& before, const WhiteBalance& wb,
                 const Exposure& exposure, const How& how, Size size) {
  auto even = [](Span span, int most) {  // the demosaic's parts keep the Bayer phase
    const int first = std::min(span.first, most - 4) & ~1;
    return Span{first, std::min(std::max(span.last, first + 4), most)};
  };
  Image out(size.width, size.height);
  in_tiles(size, how.tile_width(), [&](const Tile& tile) {
    const Span columns = even(how.columns(tile), mosaic.width),
               rows = even(how.rows(tile), mosaic.height);
    Image band(columns.count(), rows.count());
    demosaic_part(mosaic, before, {columns.first, rows.first, columns.count(), rows.count()}, band);
    how.run({band, columns.first, rows.first}, tile, out);
    to_working_space(out, tile, wb, exposure);
  });
  return out;
}

// What a hot pixel of the sensor brought into the proxy is taken out of all pixels that it went
// into: as much as its main one stands above its neighbours, by the weights it has in them.
void mend_hot_pixels(Image& image, const Proxy& proxy, const HotPixels& hot, float limit) {
  if (image.width < 2 || image.height < 2) return;
  const ProxyShares shares(proxy);
  for (const HotPixel& p : hot) {
    if (p.strength < limit) continue;
    const auto spread = shares.of(p.x, p.y);
    if (spread.empty()) continue;
    const auto [x, y, most] = spread.front();
    const int left = x > 0 ? x - 1 : x + 1, right = x + 1 < image.width ? x + 1 : x - 1;
    const int up = y > 0 ? y - 1 : y + 1, down = y + 1 < image.height ? y + 1 : y - 1;
    const std::pair<int, int> beside[4] = {{left, y}, {right, y}, {x, up}, {x, down}};
    for (auto& plane : image.planes) {
      // Of four ways to tell its light, by each neighbour, the middle ones count.
      float light[4];
      for (int k = 0; k < 4; ++k) {
        const auto [nx, ny] = beside[k];
        float there = 0;
        for (const ProxyShare& s : spread)
          if (s.x == nx && s.y == ny) there = s.weight;
        light[k] = (plane.at(x, y) - plane.at(nx, ny)) / std::max(most - there, 0.25f * most);
      }
      std::sort(light, light + 4);
      const float own = 0.5f * (light[1] + light[2]);
      for (const ProxyShare& s : spread) plane.at(s.x, s.y) -= own * s.weight;
    }
  }
}

// fn(rows, y) for every row of the picture.
template <typename Fn>
void each_row(Image& image, const Fn& fn) {
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      fn(Rows{image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y), image.width},
         y);
  });
}

void bring_in_range(Image& image, const Look& look) {
  if (const WideRange range(image, look); range.changes())
    each_row(image, [&](const Rows& rows, int y) { range.apply(rows, y); });
}

}  // namespace

void apply_look(Image& image, const PictureRecipe& settings, double reduction, Size frame) {
  const Look& look = settings.look;
  const LocalAmounts amounts(image, settings, frame.width > 0 ? frame : image.size());
  reduce_noise(image, look[Param::noise], look[Param::colour_noise],
               {iso_of(settings.source.info), std::exp2(exposure_of(settings).stops), reduction},
               amounts);
  if (const PlaceLight light(amounts, look); light.changes())
    each_row(image, [&](const Rows& rows, int y) { light.apply(rows, y); });
  // Before all that knows shadows from highlights: what these are depends on it.
  bring_in_range(image, look);
  const Chain light{LocalLight(image, look, amounts),
                    Vignette(look, image.size(), settings.placement.film), PlaceTones(amounts),
                    ToneTable(look)};
  const Chain oklab{PlaceColours(amounts), HueTable(look), SplitTone(look)};
  if (!light.changes() && !oklab.changes() && !amounts.has_veil()) return;
  each_row(image, [&](const Rows& rows, int y) {
    light.apply(rows, y);
    if (oklab.changes()) {
      to_oklab(rows);
      oklab.apply(rows, y);
      from_oklab(rows);
    }
    if (amounts.has_veil()) apply_veil(rows, y, amounts);
  });
}

Image develop_frame(SensorFrame frame, const PictureRecipe& given) {
  frame.make_light();
  mend(frame, given.repairs);
  const int turn = frame.orientation;
  const Size sensor = frame.sensor_size();
  const bool side = lies_on_its_side(turn);
  const Size upright = side ? Size{sensor.height, sensor.width} : sensor;
  const PictureRecipe settings = sized(given, upright);
  const Placement& lies = settings.placement;
  const WhiteBalance wb = balance_for(frame.colour, settings.look);
  const Exposure exposure = from_headroom(exposure_of(settings), frame.headroom);
  // As the frame lies: the smaller result is turned, not the frame.
  const Size size = side ? Size{lies.size.height, lies.size.width} : lies.size;
  const ClipGuide guide = frame.is_mosaic() ? clip_guide(frame.mosaic, wb.gains) : ClipGuide();
  const BeforeDemosaic before{wb.gains, true, &guide, settings.hot_pixels.get(),
                              hot_limit(settings.look[Param::hot_pixels])};
  auto cut = [&](const auto& how) {
    if (frame.is_mosaic()) return cut_mosaic(frame.mosaic, before, wb, exposure, how, size);
    balance(frame.rgb, wb);
    Image out(size.width, size.height);
    in_tiles(size, how.tile_width(), [&](const Tile& tile) {
      how.run({frame.rgb}, tile, out);
      to_working_space(out, tile, wb, exposure);
    });
    return out;
  };
  // Lateral colour is a matter of the sensor's own channels, so the lens comes before the matrix.
  Image image = needs_mesh(settings)
                    ? cut(placing(settings, sensor, turn))
                    : cut(Resampler(sensor, crop_in_file(lies.part(), turn), size));
  frame = {};
  image = oriented(std::move(image), turn);
  apply_look(image, settings, reduction(lies, upright, lies.size.width), upright);
  return image;
}

Image develop_proxy(const Proxy& proxy, const PictureRecipe& given) {
  const Size all{proxy.width, proxy.height};
  const PictureRecipe settings = sized(given, all);
  const Placement& lies = settings.placement;
  const WhiteBalance wb = balance_for(proxy.colour, settings.look);
  const Exposure exposure = from_headroom(exposure_of(settings), proxy.headroom);
  auto mend_hot = [&](Image& whole) {
    if (settings.hot_pixels && proxy.block > 0)
      mend_hot_pixels(whole, proxy, *settings.hot_pixels,
                      hot_limit(settings.look[Param::hot_pixels]));
  };
  Image image;
  if (needs_mesh(settings)) {
    Image camera = balanced(proxy, wb);
    mend(camera, proxy, settings.repairs);
    mend_hot(camera);
    const Warp how = placing(settings, all, 1, true, part_of_proxy(proxy, {}));
    image = Image(lies.size.width, lies.size.height);
    in_tiles(lies.size, how.tile_width(), [&](const Tile& tile) {
      how.run({camera}, tile, image);
      to_working_space(image, tile, wb, exposure);
    });
  } else {
    // What other frames have there is in the sensor's own channels; all else is the same in any.
    if (std::ranges::none_of(settings.repairs, &RepairAt::is_from_time)) {
      image = in_working_space(proxy, wb, exposure);
      mend(image, proxy, settings.repairs);
    } else {
      image = balanced(proxy, wb);
      mend(image, proxy, settings.repairs);
      in_tiles(image.size(), image.width,
               [&](const Tile& tile) { to_working_space(image, tile, wb, exposure); });
    }
    mend_hot(image);
    image = resample(image, part_of_proxy(proxy, lies.part()), lies.size);
  }
  apply_look(image, settings, reduction(lies, proxy.full, image.width), proxy.full);
  return image;
}

Image develop_as_shot(const Proxy& proxy) {
  const auto t = as_shot_temperature(proxy.colour);
  PictureRecipe recipe;
  recipe.look = neutral_look(t.kelvin, t.tint);
  return develop_proxy(proxy, recipe);
}

std::array<float, 3> airlight_of(const Proxy& proxy, const Look& look, double stops) {
  Image image = in_working_space(proxy, balance_for(proxy.colour, look),
                                 {look[Param::exposure] + stops + proxy.headroom, {}});
  bring_in_range(image, look);
  return measure_airlight(image);
}

}  // namespace tsukimi
