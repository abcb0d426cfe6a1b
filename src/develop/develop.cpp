#include "develop/develop.h"

#include "develop/contrast.h"
#include "develop/demosaic.h"
#include "develop/saturation.h"
#include "develop/white_balance.h"

namespace tsukimi {
namespace {

WhiteBalance balance_for(const CameraColour& colour, const Look& look) {
  return white_balance(colour, look[Param::temperature], look[Param::tint]);
}

// From balanced camera RGB on, proxies and full frames take the same way.
void apply_look(Image& image, const WhiteBalance& wb, const FrameSettings& settings) {
  to_working_space(image, wb, settings.look[Param::exposure] + settings.correction);
  apply_contrast(image, settings.look[Param::contrast]);
  apply_saturation(image, settings.look[Param::saturation]);
}

}  // namespace

Image develop_frame(SensorFrame frame, const FrameSettings& settings) {
  const WhiteBalance wb = balance_for(frame.colour, settings.look);
  Image image;
  if (frame.is_mosaic()) {
    balance_mosaic(frame.mosaic, frame.cfa, wb);
    image = demosaic(frame.mosaic, frame.cfa);
    frame.mosaic = Plane();
  } else {
    image = std::move(frame.rgb);
    balance_rgb(image, wb);
  }
  image = oriented(std::move(image), frame.orientation);
  apply_look(image, wb, settings);
  return resample(image, settings.crop, settings.size);
}

Image develop_proxy(const Proxy& proxy, const FrameSettings& settings) {
  const WhiteBalance wb = balance_for(proxy.colour, settings.look);
  Image image = unpack(proxy);
  balance_rgb(image, wb);
  apply_look(image, wb, settings);
  if (settings.size.width == 0) return image;
  return resample(image, settings.crop, settings.size);
}

}  // namespace tsukimi
