// SPDX-License-Identifier: GPL-3.0-or-later
// JPEG, PNG and TIFF, linearised into Rec. 2020 through their ICC profile.
#include <jpeglib.h>
#include <lcms2.h>
#include <png.h>
#include <tiffio.h>

#include <algorithm>
#include <array>
#include <csetjmp>
#include <cstring>
#include <memory>
#include <optional>

#include "base/file.h"
#include "base/parallel.h"
#include "camera/frame_info.h"
#include "camera/prepare_exiv2.h"
#include "camera/sensor_frame.h"
#include "image/colour.h"

#include <exiv2/exiv2.hpp>

namespace tsukimi {
namespace {

// As the file has them: 8 or 16 bits, RGB side by side.
struct Decoded {
  int width = 0, height = 0;
  Pixels<std::uint8_t> eight;
  Pixels<std::uint16_t> sixteen;
  std::vector<std::uint8_t> icc;
  Decoded() = default;
  Decoded(int w, int h, bool deep) : width(w), height(h) {
    const auto n = static_cast<std::size_t>(w) * h * 3;
    deep ? sixteen.resize(n) : eight.resize(n);
  }
  bool deep() const { return !sixteen.empty(); }
};

constexpr std::uint64_t kMostPixels = 500'000'000;

struct JpegErrors {
  jpeg_error_mgr base;
  std::jmp_buf jump;
};

Result<Decoded> decode_jpeg(const std::string& name, const std::vector<std::uint8_t>& bytes) {
  Decoded out;
  jpeg_decompress_struct d{};
  JpegErrors errors{};
  d.err = jpeg_std_error(&errors.base);
  errors.base.error_exit = [](j_common_ptr c) {
    std::longjmp(reinterpret_cast<JpegErrors*>(c->err)->jump, 1);
  };
  errors.base.output_message = [](j_common_ptr) {};
  // Damage: what follows would be made up.
  errors.base.emit_message = [](j_common_ptr c, int level) {
    if (level < 0) std::longjmp(reinterpret_cast<JpegErrors*>(c->err)->jump, 2);
  };
  JOCTET* icc = nullptr;
  unsigned icc_length = 0;
  if (const int why = setjmp(errors.jump)) {
    jpeg_destroy_decompress(&d);
    std::free(icc);
    return fail(name +
                (why == 2 ? " is damaged or cut short." : " is not a JPEG file that can be read."));
  }
  jpeg_create_decompress(&d);
  jpeg_save_markers(&d, JPEG_APP0 + 2, 0xFFFF);
  jpeg_mem_src(&d, bytes.data(), bytes.size());
  jpeg_read_header(&d, TRUE);
  d.out_color_space = JCS_RGB;
  if (static_cast<std::uint64_t>(d.image_width) * d.image_height > kMostPixels)
    std::longjmp(errors.jump, 1);
  // An 8x8 block takes at least a bit of a scan: what promises more pixels is cut short.
  constexpr std::uint64_t kMostPixelsOfAByte = 1024;
  if (static_cast<std::uint64_t>(d.image_width) * d.image_height >
      kMostPixelsOfAByte * bytes.size())
    std::longjmp(errors.jump, 2);
  jpeg_start_decompress(&d);
  if (jpeg_read_icc_profile(&d, &icc, &icc_length)) {
    out.icc.assign(icc, icc + icc_length);
    std::free(icc);
    icc = nullptr;
  }
  {
    auto icc_kept = std::move(out.icc);
    out = Decoded(static_cast<int>(d.output_width), static_cast<int>(d.output_height), false);
    out.icc = std::move(icc_kept);
  }
  while (d.output_scanline < d.output_height) {
    JSAMPROW rows[8];
    for (int i = 0; i < 8; ++i)
      rows[i] =
          out.eight.data() + std::min<std::size_t>(d.output_scanline + i, d.output_height - 1) *
                                 static_cast<std::size_t>(d.output_width) * 3;
    jpeg_read_scanlines(&d, rows, std::min<JDIMENSION>(8, d.output_height - d.output_scanline));
  }
  jpeg_finish_decompress(&d);
  jpeg_destroy_decompress(&d);
  return out;
}

Result<Decoded> decode_png(const std::string& name, const std::vector<std::uint8_t>& bytes) {
  png_image image{};
  image.version = PNG_IMAGE_VERSION;
  if (!png_image_begin_read_from_memory(&image, bytes.data(), bytes.size()) ||
      static_cast<std::uint64_t>(image.width) * image.height > kMostPixels) {
    png_image_free(&image);
    return fail(name + " is not a PNG file that can be read.");
  }
  // The simplified reader would convert 16-bit files to linear light itself; asking for its linear
  // format and encoding back keeps one path. 8-bit stays as it is.
  const bool deep = image.format & PNG_FORMAT_FLAG_LINEAR;
  image.format = deep ? PNG_FORMAT_LINEAR_RGB : PNG_FORMAT_RGB;
  Decoded out(static_cast<int>(image.width), static_cast<int>(image.height), deep);
  void* target =
      deep ? static_cast<void*>(out.sixteen.data()) : static_cast<void*>(out.eight.data());
  const png_color background{0, 0, 0};
  if (!png_image_finish_read(&image, &background, target, 0, nullptr)) {
    png_image_free(&image);
    return fail(name + " is damaged or cut short.");
  }
  for (auto& v : out.sixteen)
    v = static_cast<std::uint16_t>(65535 * srgb_encode(static_cast<float>(v) / 65535.0f) + 0.5f);
  return out;
}

Result<Decoded> decode_tiff(const std::string& name, const std::filesystem::path& path) {
  TIFFSetErrorHandler(nullptr);
  TIFFSetWarningHandler(nullptr);
  std::unique_ptr<TIFF, void (*)(TIFF*)> tif(TIFFOpen(path.c_str(), "r"), TIFFClose);
  if (!tif) return fail(name + " is not a TIFF file that can be read.");
  std::uint32_t w = 0, h = 0;
  std::uint16_t bits = 0, samples = 1, planar = PLANARCONFIG_CONTIG, photometric = PHOTOMETRIC_RGB;
  TIFFGetField(tif.get(), TIFFTAG_IMAGEWIDTH, &w);
  TIFFGetField(tif.get(), TIFFTAG_IMAGELENGTH, &h);
  TIFFGetFieldDefaulted(tif.get(), TIFFTAG_BITSPERSAMPLE, &bits);
  TIFFGetFieldDefaulted(tif.get(), TIFFTAG_SAMPLESPERPIXEL, &samples);
  TIFFGetFieldDefaulted(tif.get(), TIFFTAG_PLANARCONFIG, &planar);
  TIFFGetField(tif.get(), TIFFTAG_PHOTOMETRIC, &photometric);
  if (w == 0 || h == 0 || static_cast<std::uint64_t>(w) * h > kMostPixels ||
      (bits != 8 && bits != 16) || planar != PLANARCONFIG_CONTIG || TIFFIsTiled(tif.get()) ||
      (photometric != PHOTOMETRIC_RGB && photometric != PHOTOMETRIC_MINISBLACK) ||
      (samples != 1 && samples != 3 && samples != 4) ||
      static_cast<std::uint64_t>(TIFFScanlineSize64(tif.get())) <
          std::uint64_t{w} * samples * bits / 8)
    return fail(name + " is a kind of TIFF that cannot be read (8 or 16 bit grey or RGB can).");
  Decoded out(static_cast<int>(w), static_cast<int>(h), bits == 16);
  std::vector<std::uint8_t> line(static_cast<std::size_t>(TIFFScanlineSize64(tif.get())));
  for (std::uint32_t y = 0; y < h; ++y) {
    if (TIFFReadScanline(tif.get(), line.data(), y) < 0)
      return fail(name + " is damaged or cut short.");
    const std::size_t row = static_cast<std::size_t>(y) * w * 3;
    for (std::uint32_t x = 0; x < w; ++x)
      for (int c = 0; c < 3; ++c) {
        const std::size_t i = static_cast<std::size_t>(x) * samples + (samples >= 3 ? c : 0);
        if (bits == 16)
          std::memcpy(&out.sixteen[row + 3 * x + c], line.data() + 2 * i, 2);
        else
          out.eight[row + 3 * x + c] = line[i];
      }
  }
  std::uint32_t icc_length = 0;
  void* icc = nullptr;
  if (TIFFGetField(tif.get(), TIFFTAG_ICCPROFILE, &icc_length, &icc))
    out.icc.assign(static_cast<std::uint8_t*>(icc), static_cast<std::uint8_t*>(icc) + icc_length);
  return out;
}

using Profile = std::unique_ptr<void, decltype(&cmsCloseProfile)>;

// Linear Rec. 2020 with a D65 white: what a still's "camera RGB" is.
Profile working_profile() {
  const cmsCIExyY white{0.31271, 0.32902, 1};
  const cmsCIExyYTRIPLE primaries{{.708, .292, 1}, {.170, .797, 1}, {.131, .046, 1}};
  cmsToneCurve* linear = cmsBuildGamma(nullptr, 1.0);
  cmsToneCurve* curves[3] = {linear, linear, linear};
  Profile p(cmsCreateRGBProfile(&white, &primaries, curves), cmsCloseProfile);
  cmsFreeToneCurve(linear);
  return p;
}

// A profile of three curves and a matrix, which nearly all pictures have: a table per channel, and
// one matrix to the working space.
struct Shaper {
  std::array<std::vector<float>, 3> curve;  // 256 or 65536 entries
  Mat3 matrix;
};

std::optional<Mat3> colorants(cmsHPROFILE profile) {
  constexpr cmsTagSignature kTags[3] = {cmsSigRedColorantTag, cmsSigGreenColorantTag,
                                        cmsSigBlueColorantTag};
  Mat3 m;
  for (int c = 0; c < 3; ++c) {
    const auto* xyz = static_cast<const cmsCIEXYZ*>(cmsReadTag(profile, kTags[c]));
    if (!xyz) return {};
    m(0, c) = xyz->X, m(1, c) = xyz->Y, m(2, c) = xyz->Z;
  }
  return m;
}

std::optional<Shaper> shaper_of(cmsHPROFILE source, cmsHPROFILE target, bool deep) {
  // A profile that also has tables means these to be used.
  if (!cmsIsMatrixShaper(source) || cmsIsTag(source, cmsSigAToB0Tag) ||
      cmsIsTag(source, cmsSigAToB1Tag))
    return {};
  const auto from = colorants(source), to = colorants(target);
  if (!from || !to) return {};
  constexpr cmsTagSignature kTags[3] = {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag};
  Shaper out;
  const int n = deep ? 65536 : 256;
  for (int c = 0; c < 3; ++c) {
    const auto* curve = static_cast<const cmsToneCurve*>(cmsReadTag(source, kTags[c]));
    if (!curve) return {};
    out.curve[c].resize(n);
    for (int i = 0; i < n; ++i)
      out.curve[c][i] =
          cmsEvalToneCurveFloat(curve, static_cast<float>(i) / static_cast<float>(n - 1));
  }
  out.matrix = inverse(*to) * *from;
  return out;
}

template <typename Number>
void apply(const Shaper& how, const Number* in, Image& out) {
  float m[9];
  for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(how.matrix.m[i]);
  const float *rt = how.curve[0].data(), *gt = how.curve[1].data(), *bt = how.curve[2].data();
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const Number* src = in + static_cast<std::size_t>(y) * out.width * 3;
      float *r = out.planes[0].row(y), *g = out.planes[1].row(y), *b = out.planes[2].row(y);
      for (int x = 0; x < out.width; ++x) {
        const float cr = rt[src[3 * x]], cg = gt[src[3 * x + 1]], cb = bt[src[3 * x + 2]];
        r[x] = m[0] * cr + m[1] * cg + m[2] * cb;
        g[x] = m[3] * cr + m[4] * cg + m[5] * cb;
        b[x] = m[6] * cr + m[7] * cg + m[8] * cb;
      }
    }
  });
}

// Means of 2x2 pixels, of fewer at the ends.
template <typename Number>
void apply_halved(const Shaper& how, const Number* in, Size size, Image& out) {
  float m[9];
  for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(how.matrix.m[i]);
  const float* curve[3] = {how.curve[0].data(), how.curve[1].data(), how.curve[2].data()};
  parallel_rows(out.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y) {
      const Number* above = in + static_cast<std::size_t>(2 * y) * size.width * 3;
      const Number* below = 2 * y + 1 < size.height ? above + size.width * 3 : above;
      float *r = out.planes[0].row(y), *g = out.planes[1].row(y), *b = out.planes[2].row(y);
      for (int x = 0; x < out.width; ++x) {
        const int left = 6 * x, right = 2 * x + 1 < size.width ? left + 3 : left;
        float v[3];
        for (int c = 0; c < 3; ++c)
          v[c] = 0.25f * ((curve[c][above[left + c]] + curve[c][above[right + c]]) +
                          (curve[c][below[left + c]] + curve[c][below[right + c]]));
        r[x] = m[0] * v[0] + m[1] * v[1] + m[2] * v[2];
        g[x] = m[3] * v[0] + m[4] * v[1] + m[5] * v[2];
        b[x] = m[6] * v[0] + m[7] * v[1] + m[8] * v[2];
      }
    }
  });
}

using Transform = std::unique_ptr<void, decltype(&cmsDeleteTransform)>;

// By the library, for all other profiles; rows on all cores.
void transform(cmsHTRANSFORM how, const Decoded& in, Image& out) {
  parallel_rows(out.height, [&](int y0, int y1) {
    std::vector<float> line(static_cast<std::size_t>(out.width) * 3);
    for (int y = y0; y < y1; ++y) {
      const std::size_t row = static_cast<std::size_t>(y) * out.width * 3;
      const void* src = in.deep() ? static_cast<const void*>(in.sixteen.data() + row)
                                  : static_cast<const void*>(in.eight.data() + row);
      cmsDoTransform(how, src, line.data(), static_cast<unsigned>(out.width));
      for (int c = 0; c < 3; ++c)
        for (int x = 0; x < out.width; ++x) out.planes[c].at(x, y) = line[3 * x + c];
    }
  });
}

// Pixels as they stand in their file, and what makes light of them.
class Still {
 public:
  explicit Still(Decoded pixels) : in_(std::move(pixels)) {
    Profile source(in_.icc.empty() ? nullptr
                                   : cmsOpenProfileFromMem(in_.icc.data(),
                                                           static_cast<unsigned>(in_.icc.size())),
                   cmsCloseProfile);
    if (!source || cmsGetColorSpace(source.get()) != cmsSigRgbData)
      source = Profile(cmsCreate_sRGBProfile(), cmsCloseProfile);
    const Profile target = working_profile();
    shaper_ = shaper_of(source.get(), target.get(), in_.deep());
    if (!shaper_)
      how_.reset(cmsCreateTransform(source.get(), in_.deep() ? TYPE_RGB_16 : TYPE_RGB_8,
                                    target.get(), TYPE_RGB_FLT, INTENT_RELATIVE_COLORIMETRIC,
                                    cmsFLAGS_NOCACHE | cmsFLAGS_NOOPTIMIZE));
  }
  bool can_be_used() const { return shaper_ || how_; }
  Size size() const { return {in_.width, in_.height}; }
  bool can_be_halved() const {
    constexpr int kLarge = 3000;  // on the long side: a proxy of it is more than twice as small
    return shaper_ && std::max(in_.width, in_.height) >= kLarge;
  }
  Image light() const {
    Image out(in_.width, in_.height);
    if (!shaper_)
      transform(how_.get(), in_, out);
    else
      in_.deep() ? apply(*shaper_, in_.sixteen.data(), out)
                 : apply(*shaper_, in_.eight.data(), out);
    return out;
  }
  Image halved() const {
    Image out((in_.width + 1) / 2, (in_.height + 1) / 2);
    in_.deep() ? apply_halved(*shaper_, in_.sixteen.data(), size(), out)
               : apply_halved(*shaper_, in_.eight.data(), size(), out);
    return out;
  }

 private:
  Decoded in_;
  std::optional<Shaper> shaper_;
  Transform how_{nullptr, cmsDeleteTransform};
};

int read_orientation(const std::filesystem::path& path) {
  prepare_exiv2();
  try {
    auto image = Exiv2::ImageFactory::open(path.string());
    image->readMetadata();
    const auto it = image->exifData().findKey(Exiv2::ExifKey("Exif.Image.Orientation"));
    const long v = it != image->exifData().end() && it->count() > 0 ? it->toLong() : 1;
    return v >= 1 && v <= 8 ? static_cast<int>(v) : 1;
  } catch (const std::exception&) {
    return 1;
  }
}

}  // namespace

Result<SensorFrame> read_still(const std::filesystem::path& path, Wanted wanted) {
  const std::string name = printable(path.filename().string());
  auto file = read_file(path);
  if (!file) return tl::unexpected(file.error());
  std::vector<std::uint8_t>& bytes = *file;
  Result<Decoded> decoded =
      bytes.size() > 3 && bytes[0] == 0xFF && bytes[1] == 0xD8   ? decode_jpeg(name, bytes)
      : bytes.size() > 8 && png_sig_cmp(bytes.data(), 0, 8) == 0 ? decode_png(name, bytes)
                                                                 : decode_tiff(name, path);
  if (!decoded) return tl::unexpected(decoded.error());
  bytes = {};
  const auto still = std::make_shared<const Still>(std::move(*decoded));
  if (!still->can_be_used()) return fail(name + " has a colour profile that cannot be used.");
  SensorFrame out;
  out.colour.kelvin1 = out.colour.kelvin2 = 6504;
  out.orientation = read_orientation(path);
  if (wanted == Wanted::proxy && still->can_be_halved()) {
    out.halved = still->size();
    out.rgb = still->halved();
  } else if (wanted == Wanted::later) {
    out.still = [still] { return still->light(); };
    out.still_size = still->size();
  } else {
    out.rgb = still->light();
  }
  return out;
}

}  // namespace tsukimi
