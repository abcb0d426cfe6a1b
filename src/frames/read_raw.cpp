// Raw files through LibRaw: open and unpack only; what follows is ours.
#include <libraw/libraw.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "frames/sensor_frame.h"
#include "image/parallel.h"

namespace tsukimi {
namespace {

// EXIF LightSource codes that DNG uses for its calibration illuminants.
double illuminant_kelvin(int code) {
  switch (code) {
    case 1:
    case 4:
    case 9:
    case 18:
    case 20:
      return 5500;
    case 2:
    case 14:
      return 4230;
    case 3:
    case 17:
      return 2856;
    case 10:
    case 21:
      return 6504;
    case 11:
    case 22:
      return 7500;
    case 12:
      return 6430;
    case 13:
    case 23:
      return 5003;
    case 15:
      return 3450;
    case 19:
      return 4874;
    case 24:
      return 3200;
    default:
      return 0;
  }
}

template <typename Rows>
Mat3 read_matrix(const Rows& rows, bool& present) {
  Mat3 m;
  double sum = 0;
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) sum += std::fabs(m(r, c) = rows[r][c]);
  present = std::isfinite(sum) && sum > 0.1;
  return m;
}

CameraColour read_colour(const libraw_colordata_t& color) {
  CameraColour out;
  bool have1 = false, have2 = false;
  const Mat3 m1 = read_matrix(color.dng_color[0].colormatrix, have1);
  const Mat3 m2 = read_matrix(color.dng_color[1].colormatrix, have2);
  const double k1 = illuminant_kelvin(color.dng_color[0].illuminant),
               k2 = illuminant_kelvin(color.dng_color[1].illuminant);
  if (have1 && have2 && k1 > 0 && k2 > 0) {
    out = {m1, m2, k1, k2, {1, 1, 1}};
  } else if (have1 || have2) {
    const Mat3& m = have1 ? m1 : m2;
    out = {m, m, 6504, 6504, {1, 1, 1}};
  } else {
    bool have = false;
    const Mat3 m = read_matrix(color.cam_xyz, have);
    if (have) out = {m, m, 6504, 6504, {1, 1, 1}};
  }
  const float* mul = color.cam_mul[0] > 0 && color.cam_mul[1] > 0 && color.cam_mul[2] > 0
                         ? color.cam_mul
                         : color.pre_mul;
  double most = 0;
  for (int c = 0; c < 3; ++c) {
    out.neutral[c] = mul[c] > 0 ? 1.0 / mul[c] : 1.0;
    most = std::max(most, out.neutral[c]);
  }
  for (double& v : out.neutral) v /= most;
  return out;
}

int exif_orientation(int flip) { return flip == 3 ? 3 : flip == 5 ? 8 : flip == 6 ? 6 : 1; }

// LibRaw fills damaged parts with zeros and only tells a callback; we want to know.
// (Generic because LibRaw's own versions disagree on the offset's type.)
constexpr auto note_damage = [](void* flag, const char*, auto) {
  *static_cast<bool*>(flag) = true;
};

bool is_bayer(const LibRaw& raw) {
  return raw.imgdata.rawdata.raw_image && raw.imgdata.idata.filters > 1000 &&
         raw.imgdata.idata.colors == 3;
}

void read_mosaic(LibRaw& raw, SensorFrame& out) {
  const auto& s = raw.imgdata.sizes;
  const auto& color = raw.imgdata.color;
  const int w = s.width & ~1, h = s.height & ~1;
  out.mosaic = Plane(w, h);
  float black[4], scale[4];
  for (int i = 0; i < 4; ++i) {
    const int libraw_channel = raw.COLOR(i / 2, i % 2);  // 0 R, 1 G, 2 B, 3 second G
    out.cfa[i] = static_cast<std::uint8_t>(libraw_channel == 3 ? 1 : libraw_channel);
    black[i] = static_cast<float>(color.black + color.cblack[libraw_channel]);
    const float white = color.linear_max[libraw_channel] > 0
                            ? static_cast<float>(color.linear_max[libraw_channel])
                            : static_cast<float>(color.maximum);
    scale[i] = 1.0f / std::max(white - black[i], 1.0f);
  }
  const unsigned pw = color.cblack[5], ph = color.cblack[4];  // repeating black pattern, often none
  const bool pattern = pw > 0 && ph > 0 && pw * ph <= LIBRAW_CBLACK_SIZE - 6;
  parallel_rows(h, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const auto* src = raw.imgdata.rawdata.raw_image +
                        static_cast<std::size_t>(y + s.top_margin) * (s.raw_pitch / 2) +
                        s.left_margin;
      float* dst = out.mosaic.row(y);
      for (int x = 0; x < w; ++x) {
        const int i = (y & 1) * 2 + (x & 1);
        float b = black[i];
        if (pattern) b += static_cast<float>(color.cblack[6 + (y % ph) * pw + x % pw]);
        dst[x] = (static_cast<float>(src[x]) - b) * scale[i];
      }
    }
  });
}

bool interpolate_with_libraw(LibRaw& raw, SensorFrame& out) {
  auto& p = raw.imgdata.params;
  p.output_color = 0;
  p.output_bps = 16;
  p.gamm[0] = p.gamm[1] = 1;
  p.no_auto_bright = 1;
  p.use_camera_wb = p.use_auto_wb = 0;
  std::fill(std::begin(p.user_mul), std::end(p.user_mul), 1.0f);
  p.user_flip = 0;
  p.highlight = 1;
  if (raw.dcraw_process() != LIBRAW_SUCCESS) return false;
  const int w = raw.imgdata.sizes.iwidth, h = raw.imgdata.sizes.iheight;
  const int colors = raw.imgdata.idata.colors;
  out.rgb = Image(w, h);
  for (int c = 0; c < 3; ++c)
    for (int y = 0; y < h; ++y)
      for (int x = 0; x < w; ++x)
        out.rgb.planes[c].at(x, y) =
            raw.imgdata.image[static_cast<std::size_t>(y) * w + x][colors == 1 ? 0 : c] / 65535.0f;
  return true;
}

}  // namespace

Result<SensorFrame> read_raw(const std::filesystem::path& path) {
  const auto name = path.filename().string();
  auto raw = std::make_unique<LibRaw>();  // too large for the stack of a worker thread
  bool damaged = false;
  raw->set_dataerror_handler(note_damage, &damaged);
  raw->imgdata.params.use_camera_wb = 1;
  int code = raw->open_file(path.c_str());
  if (code != LIBRAW_SUCCESS)
    return fail(name + " cannot be read as a raw file: " + libraw_strerror(code) + ".");
  const auto& s = raw->imgdata.sizes;
  if (s.raw_width < 4 || s.raw_height < 4 ||
      static_cast<std::uint64_t>(s.raw_width) * s.raw_height > 500'000'000ULL)
    return fail(name + " has an impossible size (" + std::to_string(s.raw_width) + "×" +
                std::to_string(s.raw_height) + ").");
  code = raw->unpack();
  if (code != LIBRAW_SUCCESS || damaged)
    return fail(name + " is damaged or cut short; its picture cannot be read whole.");
  SensorFrame out;
  out.colour = read_colour(raw->imgdata.color);
  out.orientation = exif_orientation(s.flip);
  if (is_bayer(*raw))
    read_mosaic(*raw, out);
  else if (!interpolate_with_libraw(*raw, out))
    return fail(name + " has a mosaic that cannot be interpolated.");
  return out;
}

}  // namespace tsukimi
