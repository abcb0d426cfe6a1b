#include "develop/develop.h"

#include <algorithm>
#include <cmath>

#include "base/parallel.h"
#include "develop/demosaic.h"
#include "develop/hue_ring.h"
#include "develop/lens.h"
#include "develop/local_light.h"
#include "develop/noise.h"
#include "develop/oklab.h"
#include "develop/split_tone.h"
#include "develop/tone_table.h"
#include "develop/vignette.h"
#include "develop/white_balance.h"
#include "image/orientation.h"

namespace tsukimi {
namespace {

double stops_of(const PictureRecipe& s) { return s.look[Param::exposure] + s.light.stops; }

WhiteBalance balance_for(const CameraColour& colour, const Look& look) {
  return white_balance(colour, look[Param::temperature], look[Param::tint]);
}

// Stripes of a result, fn(first row, last row) on one thread each.
template <typename Fn>
void in_stripes(int height, const Fn& fn) {
  constexpr int kRows = 64;
  parallel_ranges((height + kRows - 1) / kRows, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) fn(k * kRows, std::min(height, (k + 1) * kRows));
  });
}

// A crop of the upright frame, as it lies in the file.
Rect crop_in_file(Rect crop, int orientation) {
  const Place a = place_in_file({crop.x, crop.y}, orientation),
              b = place_in_file({crop.x + crop.w, crop.y + crop.h}, orientation);
  return {std::min(a.x, b.x), std::min(a.y, b.y), std::fabs(b.x - a.x), std::fabs(b.y - a.y)};
}

// The mosaic is interpolated stripe by stripe, just what each stripe of the result needs, while it
// is in the cache: no colour picture of the whole sensor is ever made.
template <typename How>
Image cut_mosaic(const Mosaic& mosaic, const BeforeDemosaic& before, const WhiteBalance& wb,
                 double stops, const How& how, Size size) {
  auto even = [](Span span, int most) {  // the demosaic's parts keep the Bayer phase
    const int first = std::min(span.first, most - 4) & ~1;
    return Span{first, std::min(std::max(span.last, first + 4) + 1, most) & ~1};
  };
  const Span columns = even(how.columns(), mosaic.width);
  Image out(size.width, size.height);
  in_stripes(size.height, [&](int y0, int y1) {
    const Span rows = even(how.rows(y0, y1), mosaic.height);
    Image band(columns.count(), rows.count());
    demosaic_part(mosaic, before, {columns.first, rows.first, columns.count(), rows.count()}, band);
    how.run({band, columns.first, rows.first}, y0, y1, out);
    to_working_space(out, y0, y1, wb, stops);
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

}  // namespace

void apply_look(Image& image, const PictureRecipe& settings, double reduction) {
  const Look& look = settings.look;
  reduce_noise(image, look[Param::noise], look[Param::colour_noise],
               {settings.iso, std::exp2(stops_of(settings)), reduction});
  const LocalLight local(image, look);
  const ToneTable tone(look);
  const HueTable hue(look);
  const SplitTone split(look);
  const Vignette vignette(look, image.size(), settings.film);
  const bool colour = hue.changes() || split.changes();
  if (!local.changes() && !tone.changes() && !colour && !vignette.changes()) return;
  parallel_rows(image.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const Rows rows{image.planes[0].row(y), image.planes[1].row(y), image.planes[2].row(y),
                      image.width};
      if (local.changes()) local.apply(rows, y);
      if (vignette.changes()) vignette.apply(rows, y);
      if (tone.changes()) tone.apply(rows);
      if (!colour) continue;
      to_oklab(rows);
      if (hue.changes()) hue.apply(rows);
      if (split.changes()) split.apply(rows);
      from_oklab(rows);
    }
  });
}

Image develop_frame(SensorFrame frame, const PictureRecipe& settings) {
  const WhiteBalance wb = balance_for(frame.colour, settings.look);
  const double stops = stops_of(settings);
  const int turn = frame.orientation;
  const Size sensor = frame.sensor_size();
  const bool side = lies_on_its_side(turn);
  // As the frame lies: the smaller result is turned, not the frame.
  const Rect crop = crop_in_file(settings.crop, turn);
  const Size size = side ? Size{settings.size.height, settings.size.width} : settings.size;
  const ClipGuide guide = frame.is_mosaic() ? clip_guide(frame.mosaic, wb.gains) : ClipGuide();
  const BeforeDemosaic before{wb.gains, true, &guide, settings.hot_pixels.get(),
                              hot_limit(settings.look[Param::hot_pixels])};
  auto cut = [&](const auto& how) {
    if (frame.is_mosaic()) return cut_mosaic(frame.mosaic, before, wb, stops, how, size);
    balance(frame.rgb, wb);
    Image out(size.width, size.height);
    in_stripes(size.height, [&](int y0, int y1) {
      how.run({frame.rgb}, y0, y1, out);
      to_working_space(out, y0, y1, wb, stops);
    });
    return out;
  };
  // Lateral colour is a matter of the sensor's own channels, so the lens comes before the matrix.
  Image image =
      corrects_lens(settings.look, settings.lens.get())
          ? cut(lens_warp(settings.look, settings.lens.get(), sensor, turn, settings.crop, size))
          : cut(Resampler(sensor, crop, size));
  frame = {};
  image = oriented(std::move(image), turn);
  const int wide = side ? sensor.height : sensor.width;
  apply_look(image, settings, settings.crop.w * wide / std::max(1, settings.size.width));
  return image;
}

Image develop_proxy(const Proxy& proxy, const PictureRecipe& settings) {
  const WhiteBalance wb = balance_for(proxy.colour, settings.look);
  const double stops = stops_of(settings);
  const Size all{proxy.width, proxy.height}, size = settings.size.width > 0 ? settings.size : all;
  const Rect crop = settings.size.width > 0 ? settings.crop : Rect{};
  auto mend = [&](Image& whole) {
    if (settings.hot_pixels)
      mend_hot_pixels(whole, proxy, *settings.hot_pixels,
                      hot_limit(settings.look[Param::hot_pixels]));
  };
  Image image;
  if (corrects_lens(settings.look, settings.lens.get())) {
    Image camera = balanced(proxy, wb);
    mend(camera);
    const Warp how = lens_warp(settings.look, settings.lens.get(), all, 1, crop, size, true,
                               part_of_proxy(proxy, {}));
    image = Image(size.width, size.height);
    in_stripes(size.height, [&](int y0, int y1) {
      how.run({camera}, y0, y1, image);
      to_working_space(image, y0, y1, wb, stops);
    });
  } else {
    image = in_working_space(proxy, wb, stops);
    mend(image);
    image = resample(image, part_of_proxy(proxy, crop), size);
  }
  apply_look(image, settings, crop.w * proxy.full.width / std::max(1, image.width));
  return image;
}

Image develop_as_shot(const Proxy& proxy) {
  const auto t = as_shot_temperature(proxy.colour);
  PictureRecipe recipe;
  recipe.look = neutral_look(t.kelvin, t.tint);
  return develop_proxy(proxy, recipe);
}

std::array<float, 3> airlight_of(const Proxy& proxy, PictureRecipe settings) {
  return measure_airlight(
      in_working_space(proxy, balance_for(proxy.colour, settings.look), stops_of(settings)));
}

}  // namespace tsukimi
