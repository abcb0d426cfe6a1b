// SPDX-License-Identifier: GPL-3.0-or-later
// Raw files through LibRaw: open and unpack only; what follows is ours.
#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/parallel.h"
#include "base/text.h"
#include "camera/black_level.h"
#include "camera/file_kind.h"
#include "camera/raw_decoder.h"
#include "camera/sensor_frame.h"

namespace tsukimi {
namespace {

// EXIF LightSource codes that DNG uses for its calibration illuminants; correlated colour
// temperatures as the CIE gives them (A, B and C are 17, 18 and 19).
double illuminant_kelvin(int code) {
  switch (code) {
    case 1:
    case 4:
    case 9:
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
    case 18:
      return 4874;
    case 19:
      return 6774;
    case 24:
      return 3200;
    default:
      return 0;
  }
}

// Damaged numbers can make a matrix that turns every colour into the same one, or into none.
bool is_regular(const Mat3& m) {
  double size = 0;
  for (double v : m.m) size += std::fabs(v);
  const double det = m(0, 0) * (m(1, 1) * m(2, 2) - m(1, 2) * m(2, 1)) -
                     m(0, 1) * (m(1, 0) * m(2, 2) - m(1, 2) * m(2, 0)) +
                     m(0, 2) * (m(1, 0) * m(2, 1) - m(1, 1) * m(2, 0));
  return std::isfinite(det) && std::fabs(det) > 1e-5 * size * size * size;
}

template <typename Rows>
Mat3 read_matrix(const Rows& rows, bool& present) {
  Mat3 m;
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) m(r, c) = rows[r][c];
  present = is_regular(m);
  return m;
}

// A DNG's matrix from XYZ to this very camera: analog balance x calibration x colour matrix.
Mat3 read_dng_matrix(const libraw_colordata_t& color, int k, bool& present) {
  const auto& c = color.dng_color[k];
  Mat3 m = read_matrix(c.colormatrix, present);
  bool given = false;  // the decoder leaves zeros where the file has none
  if (const Mat3 calibration = read_matrix(c.calibration, given); given) m = calibration * m;
  const float* ab = color.dng_levels.analogbalance;
  if (ab[0] > 0 && ab[1] > 0 && ab[2] > 0) m = diagonal({ab[0], ab[1], ab[2]}) * m;
  present = present && is_regular(m);
  return m;
}

CameraColour read_colour(const libraw_colordata_t& color) {
  CameraColour out;
  bool have1 = false, have2 = false;
  const Mat3 m1 = read_dng_matrix(color, 0, have1), m2 = read_dng_matrix(color, 1, have2);
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

// The decoder's bits: 1 mirrored left to right, 2 top to bottom, 4 along the diagonal.
int exif_orientation(int flip) {
  constexpr int kExif[8] = {1, 2, 4, 3, 5, 8, 6, 7};
  return kExif[flip & 7];
}

// Black levels that repeat over the picture, beside those of the channels.
struct BlackPattern {
  const unsigned* levels;
  unsigned columns, rows;  // 0: no pattern
  explicit BlackPattern(const LibRaw& raw)
      : levels(raw.imgdata.color.cblack + 6),
        columns(raw.imgdata.color.cblack[5]),
        rows(raw.imgdata.color.cblack[4]) {
    if (columns == 0 || rows == 0 || columns > (LIBRAW_CBLACK_SIZE - 6) / rows) columns = rows = 0;
  }
  unsigned level(int x, int y) const {
    return columns ? levels[wrapped(y, rows) * columns + wrapped(x, columns)] : 0;
  }
  float at(int x, int y) const { return static_cast<float>(level(x, y)); }
  unsigned most() const { return columns ? *std::max_element(levels, levels + rows * columns) : 0; }
  bool fits_bayer() const { return columns <= 2 && rows <= 2 && columns != 0; }

 private:
  static unsigned wrapped(int i, unsigned n) {
    const int by = i % static_cast<int>(n);
    return static_cast<unsigned>(by) + (by < 0 ? n : 0);
  }
};

// Takes black levels that a Mosaic cannot say away from the numbers, which are copied for it: rare
// cameras only. level(x, y) is the whole black level of a pixel, at most `most`. Numbers of few
// bits are spread, so that fractions of a level are not lost.
template <typename Level>
void level_black(const Level& level, double most, Mosaic& out) {
  auto numbers =
      std::make_shared<Pixels<std::uint16_t>>(static_cast<std::size_t>(out.width) * out.height);
  double white = 1;
  for (int i = 0; i < 4; ++i)
    white = std::max(white, 1.0 / static_cast<double>(out.scale[i]) + out.black[i]);
  double spread = 1;
  while (spread < 16 && 2 * spread * (white + most) < 60000) spread *= 2;
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      for (int x = 0; x < out.width; ++x)
        (*numbers)[static_cast<std::size_t>(y) * out.width + x] = static_cast<std::uint16_t>(
            std::clamp(spread * (out.row(y)[x] + most - level(x, y)) + 0.5, 0.0, 65535.0));
  });
  for (int i = 0; i < 4; ++i) {
    // One scale for all rows and columns: white above the highest black (DNG 1.4, chapter 5).
    const double above = 1.0 / static_cast<double>(out.scale[i]) + out.black[i] - most;
    out.black[i] = static_cast<float>(spread * most);
    out.scale[i] = static_cast<float>(1 / (spread * std::max(above, 1.0)));
  }
  out.stride = static_cast<std::size_t>(out.width);
  out.numbers = {numbers, numbers->data()};
}

std::optional<BlackLevels> black_levels(RawDecoder& raw) {
  return raw.is_dng() && raw.tags() ? read_black_levels(*raw.tags()) : std::nullopt;
}

// From where patterns begin to what is shown.
struct FromPattern {
  int x, y;
};
FromPattern from_colours(RawDecoder& raw) {  // the decoder turns them so that they begin there
  const auto& s = raw.imgdata.sizes;
  return {raw.seen().left - s.left_margin, raw.seen().top - s.top_margin};
}
FromPattern from_black(RawDecoder& raw) {
  const StoredArea& seen = raw.seen();
  return {seen.left - seen.pattern_left, seen.top - seen.pattern_top};
}

Mosaic read_mosaic(const std::shared_ptr<RawDecoder>& raw) {
  const auto& s = raw->imgdata.sizes;
  const auto& color = raw->imgdata.color;
  const StoredArea& seen = raw->seen();
  Mosaic out;
  out.width = seen.width;
  out.height = seen.height;
  const BlackPattern pattern(*raw);
  const FromPattern colours = from_colours(*raw), from = from_black(*raw);
  for (int i = 0; i < 4; ++i) {
    const int y = i / 2, x = i % 2;
    const int channel = raw->COLOR((y + colours.y) & 7, (x + colours.x) & 7);  // 3: second G
    out.cfa[i] = static_cast<std::uint8_t>(channel == 3 ? 1 : channel);
    out.black[i] = static_cast<float>(color.black + color.cblack[channel]);
    if (pattern.fits_bayer()) out.black[i] += pattern.at(x + from.x, y + from.y);
    const float white = color.linear_max[channel] > 0
                            ? static_cast<float>(color.linear_max[channel])
                            : static_cast<float>(color.maximum);
    out.scale[i] = 1.0f / std::max(white - out.black[i], 1.0f);
  }
  out.stride = s.raw_pitch / 2;
  out.numbers = {raw, raw->imgdata.rawdata.raw_image +
                          static_cast<std::size_t>(seen.top) * out.stride + seen.left};
  if (const auto levels = black_levels(*raw)) {
    level_black([&](int x, int y) { return levels->at(x + seen.left, y + seen.top, 0); },
                levels->most(), out);
  } else if (pattern.columns && !pattern.fits_bayer()) {
    const std::array<float, 4> base = out.black;
    level_black(
        [&](int x, int y) {
          return static_cast<double>(base[Mosaic::place(x, y)] +
                                     pattern.at(x + from.x, y + from.y));
        },
        *std::max_element(base.begin(), base.end()) + pattern.most(), out);
  }
  return out;
}

// Samples of every pixel that need no interpolation: of a sensor without colour filters, or of a
// file that holds three colours already. light(x, y, c) gives the number.
template <typename Number>
Image read_samples(RawDecoder& raw, const Number& number) {
  const auto& color = raw.imgdata.color;
  const StoredArea& seen = raw.seen();
  const BlackPattern pattern(raw);
  const FromPattern from = from_black(raw);
  const auto levels = black_levels(raw);
  Image out(seen.width, seen.height);
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int c = 0; c < 3; ++c) {
      const float black = static_cast<float>(color.black + color.cblack[c]);
      const float white = color.linear_max[c] > 0 ? static_cast<float>(color.linear_max[c])
                                                  : static_cast<float>(color.maximum);
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < out.width; ++x) {
          const float none = levels ? static_cast<float>(levels->at(x + seen.left, y + seen.top, c))
                                    : black + pattern.at(x + from.x, y + from.y);
          const float most = levels ? static_cast<float>(levels->most()) : none;
          out.planes[c].at(x, y) =
              (static_cast<float>(number(x, y, c)) - none) / std::max(white - most, 1.0f);
        }
    }
  });
  return out;
}

// Other mosaics go through the decoder's own interpolation. It compares colours and cuts off below
// zero, so it gets them balanced and with room for the noise below black, and both are taken back.
bool interpolate_with_libraw(RawDecoder& raw, const CameraColour& colour, SensorFrame& out) {
  constexpr double kRoom = 3000, kSpan = 60000 - kRoom;
  auto& data = raw.imgdata.rawdata;
  auto& own = data.color;  // what the decoder's processing starts from
  const auto& s = raw.imgdata.sizes;
  const double darkest = *std::min_element(colour.neutral.begin(), colour.neutral.end());
  double gain[3];
  for (int c = 0; c < 3; ++c) gain[c] = darkest / colour.neutral[c];
  const bool mosaic = data.raw_image != nullptr;
  if (mosaic) {
    const BlackPattern pattern(raw);
    const auto levels = black_levels(raw);
    const StoredArea& seen = raw.seen();
    const int from_x = s.left_margin - seen.pattern_left, from_y = s.top_margin - seen.pattern_top;
    parallel_rows(s.height, [&](int y0, int y1) {
      for (int y = y0; y < y1; ++y)
        for (int x = 0; x < s.width; ++x) {
          const int channel = raw.COLOR(y, x), c = channel == 3 ? 1 : channel;
          const double black = levels ? levels->at(x + s.left_margin, y + s.top_margin, 0)
                                      : static_cast<double>(own.black + own.cblack[channel]) +
                                            pattern.at(x + from_x, y + from_y);
          const double white = own.linear_max[channel] > 0 ? own.linear_max[channel] : own.maximum;
          auto& n = data.raw_image[static_cast<std::size_t>(y + s.top_margin) * (s.raw_pitch / 2) +
                                   static_cast<std::size_t>(x + s.left_margin)];
          const double most = levels ? levels->most() : black;
          const double light = (n - black) / std::max(white - most, 1.0);
          n = static_cast<std::uint16_t>(
              std::clamp(kRoom + light * gain[c] * kSpan + 0.5, 0.0, 65535.0));
        }
    });
    own.black = 0;
    std::fill(std::begin(own.cblack), std::end(own.cblack), 0u);
    std::fill(std::begin(own.linear_max), std::end(own.linear_max), 0u);
    own.maximum = 65535;
  }
  auto& p = raw.imgdata.params;
  p.output_color = 0;
  p.output_bps = 16;
  p.gamm[0] = p.gamm[1] = 1;
  p.no_auto_bright = 1;
  p.adjust_maximum_thr = 0;  // the brightest pixel of a frame must not scale it
  p.use_camera_wb = p.use_auto_wb = 0;
  std::fill(std::begin(p.user_mul), std::end(p.user_mul), 1.0f);
  p.user_flip = 0;
  p.highlight = 1;
  if (raw.dcraw_process() != LIBRAW_SUCCESS) return false;
  const int w = raw.imgdata.sizes.iwidth, h = raw.imgdata.sizes.iheight;
  const bool grey = raw.imgdata.idata.colors == 1;
  // It is made of all between the decoder's margins; what is shown is cut out of that.
  const StoredArea& seen = raw.seen();
  const int left = std::clamp(seen.left - s.left_margin, 0, w - 1),
            top = std::clamp(seen.top - s.top_margin, 0, h - 1);
  out.rgb = Image(std::min(seen.width, w - left), std::min(seen.height, h - top));
  for (int c = 0; c < 3; ++c) {
    const double room = mosaic ? kRoom : 0, scale = mosaic ? gain[c] * kSpan : 65535.0;
    for (int y = 0; y < out.rgb.height; ++y) {
      const auto* row = raw.imgdata.image + static_cast<std::size_t>(y + top) * w + left;
      for (int x = 0; x < out.rgb.width; ++x)
        out.rgb.planes[c].at(x, y) = static_cast<float>((row[x][grey ? 0 : c] - room) / scale);
    }
  }
  return true;
}

}  // namespace

Result<SensorFrame> read_raw(const std::filesystem::path& path) {
  const auto name = printable(path.filename().string());
  const auto raw = std::make_shared<RawDecoder>();  // the mosaic lives as long as it does
  const int code = raw->open(path);
  if (code != LIBRAW_SUCCESS)
    return fail(name + " cannot be read as a raw file: " + libraw_strerror(code) + ".");
  const auto& s = raw->imgdata.sizes;
  if (!raw->has_possible_size())
    return fail(name + " has an impossible size (" + std::to_string(s.raw_width) + "×" +
                std::to_string(s.raw_height) + ").");
  if (!raw->decode())
    return fail(name + " is damaged or cut short; its picture cannot be read whole.");
  SensorFrame out;
  out.colour = read_colour(raw->imgdata.color);
  out.orientation = exif_orientation(s.flip);
  // White of the files that we write lies below their brightest number (output/encode.h).
  if (std::string_view(raw->imgdata.idata.software) == "Tsukimi")
    out.headroom = std::clamp<double>(raw->imgdata.color.dng_levels.baseline_exposure, 0, 16);
  const auto& data = raw->imgdata.rawdata;
  const StoredArea& seen = raw->seen();
  const auto at = [&](int x, int y, std::size_t pitch) {
    return static_cast<std::size_t>(y + seen.top) * pitch + seen.left + x;
  };
  const auto& id = raw->imgdata.idata;
  if (data.raw_image && raw->is_bayer()) {
    out.mosaic = read_mosaic(raw);
  } else if (data.raw_image && id.filters == 0 && id.colors == 1) {
    out.rgb = read_samples(
        *raw, [&](int x, int y, int) { return data.raw_image[at(x, y, s.raw_pitch / 2)]; });
    out.colour = {};  // grey at every colour of light
  } else if (data.color4_image) {
    out.rgb = read_samples(
        *raw, [&](int x, int y, int c) { return data.color4_image[at(x, y, s.raw_pitch / 8)][c]; });
  } else if (data.color3_image) {
    out.rgb = read_samples(
        *raw, [&](int x, int y, int c) { return data.color3_image[at(x, y, s.raw_pitch / 6)][c]; });
  } else if (!interpolate_with_libraw(*raw, out.colour, out)) {
    return fail(name + " has a mosaic that cannot be interpolated.");
  }
  return out;
}

std::optional<Size> raw_size(const std::filesystem::path& path) {
  if (kind_of(path) != FileKind::raw) return {};
  RawDecoder raw;
  if (raw.open(path) != LIBRAW_SUCCESS || !raw.has_possible_size()) return {};
  const StoredArea& seen = raw.seen();
  return lies_on_its_side(exif_orientation(raw.imgdata.sizes.flip)) ? Size{seen.height, seen.width}
                                                                    : Size{seen.width, seen.height};
}

}  // namespace tsukimi
