#include "develop/develop.h"

#include <algorithm>
#include <cmath>

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
#include "image/parallel.h"

namespace tsukimi {
namespace {

double stops_of(const FrameSettings& s) { return s.look[Param::exposure] + s.correction; }

WhiteBalance balance_for(const CameraColour& colour, const Look& look) {
  return white_balance(colour, look[Param::temperature], look[Param::tint]);
}

// What of the mosaic the crop needs, with room for the resampling's taps. `crop` becomes the crop
// within that part.
MosaicPart needed_part(const Plane& mosaic, Rect& crop, Size size) {
  auto range = [](double from, double length, int pixels, int output, int& first, int& count) {
    const double scale = std::max(1.0, length * pixels / std::max(output, 1));
    const double room = 3 * scale + 2;
    first = std::max(0, static_cast<int>(std::floor(from * pixels - room))) & ~1;
    const int last = std::min(pixels, static_cast<int>(std::ceil((from + length) * pixels + room)));
    count = std::max(4, (last - first + 1) & ~1);
    if (first + count > pixels) count = (pixels - first) & ~1;
  };
  MosaicPart part;
  range(crop.x, crop.w, mosaic.width, size.width, part.x, part.width);
  range(crop.y, crop.h, mosaic.height, size.height, part.y, part.height);
  crop = {(crop.x * mosaic.width - part.x) / part.width,
          (crop.y * mosaic.height - part.y) / part.height, crop.w * mosaic.width / part.width,
          crop.h * mosaic.height / part.height};
  return part;
}

}  // namespace

void apply_look(Image& image, const FrameSettings& settings, double reduction) {
  const Look& look = settings.look;
  reduce_noise(image, look[Param::noise], look[Param::colour_noise],
               {settings.iso, std::exp2(stops_of(settings)), reduction});
  const LocalLight local(image, look);
  const ToneTable tone(look);
  const HueTable hue(look);
  const SplitTone split(look);
  const Vignette vignette(look, image.size());
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

Image develop_frame(SensorFrame frame, const FrameSettings& settings) {
  const WhiteBalance wb = balance_for(frame.colour, settings.look);
  const double stops = stops_of(settings);
  // Lateral colour is a matter of the sensor's own channels, so the lens comes before the matrix.
  const bool lens = corrects_lens(settings.look, settings.lens.get());
  Rect crop = settings.crop;
  const Size sensor = frame.sensor_size();
  Image image;
  if (frame.is_mosaic()) {
    if (settings.hot_pixels)
      mend_hot_pixels(frame.mosaic, *settings.hot_pixels, settings.look[Param::hot_pixels]);
    // The lens needs the whole frame, and so does one that lies on its side and is turned first.
    MosaicPart part;
    if (!lens && frame.orientation <= 1) part = needed_part(frame.mosaic, crop, settings.size);
    const Mat3f matrix(lens ? Mat3{} : exposed_matrix(wb, stops));
    image = demosaic(frame.mosaic, frame.cfa, {wb.gains, wb.clip, matrix}, part);
    frame.mosaic = Plane();
    image = oriented(std::move(image), frame.orientation);
    if (lens) {
      image = correct_lens(image, settings.look, settings.lens.get());
      WhiteBalance balanced = wb;
      balanced.gains = {1, 1, 1};
      balanced.clip = 1e9f;  // held already
      balance_to_working_space(image, balanced, stops);
    }
  } else {
    image = oriented(std::move(frame.rgb), frame.orientation);
    if (lens) image = correct_lens(image, settings.look, settings.lens.get());
    balance_to_working_space(image, wb, stops);
  }
  image = resample(image, crop, settings.size);
  const int wide = frame.orientation >= 5 ? sensor.height : sensor.width;
  apply_look(image, settings, settings.crop.w * wide / std::max(1, settings.size.width));
  return image;
}

Image develop_proxy(const Proxy& proxy, const FrameSettings& settings) {
  Image image = unpack(proxy);
  if (corrects_lens(settings.look, settings.lens.get()))
    image = correct_lens(image, settings.look, settings.lens.get());
  balance_to_working_space(image, balance_for(proxy.colour, settings.look), stops_of(settings));
  if (settings.size.width > 0) image = resample(image, settings.crop, settings.size);
  const Rect seen = settings.size.width > 0 ? settings.crop : Rect{};
  apply_look(image, settings, seen.w * proxy.full.width / std::max(1, image.width));
  return image;
}

std::array<float, 3> airlight_of(const Proxy& proxy, FrameSettings settings) {
  Image image = unpack(proxy);
  balance_to_working_space(image, balance_for(proxy.colour, settings.look), stops_of(settings));
  return measure_airlight(image);
}

}  // namespace tsukimi
