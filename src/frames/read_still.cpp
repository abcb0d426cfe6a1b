// JPEG, PNG and TIFF, linearised into Rec. 2020 through their ICC profile.
#include <jpeglib.h>
#include <lcms2.h>
#include <png.h>
#include <tiffio.h>

#include <csetjmp>
#include <cstring>
#include <fstream>
#include <iterator>
#include <memory>

#include "frames/frame_info.h"
#include "frames/sensor_frame.h"

#include <exiv2/exiv2.hpp>

namespace tsukimi {
namespace {

struct Decoded {
  Encoded16 pixels;
  std::vector<std::uint8_t> icc;
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
  JOCTET* icc = nullptr;
  unsigned icc_length = 0;
  std::vector<std::uint8_t> line;
  if (setjmp(errors.jump)) {
    jpeg_destroy_decompress(&d);
    std::free(icc);
    return fail(name + " is not a JPEG file that can be read.");
  }
  jpeg_create_decompress(&d);
  jpeg_save_markers(&d, JPEG_APP0 + 2, 0xFFFF);
  jpeg_mem_src(&d, bytes.data(), bytes.size());
  jpeg_read_header(&d, TRUE);
  d.out_color_space = JCS_RGB;
  if (static_cast<std::uint64_t>(d.image_width) * d.image_height > kMostPixels)
    std::longjmp(errors.jump, 1);
  jpeg_start_decompress(&d);
  if (jpeg_read_icc_profile(&d, &icc, &icc_length)) {
    out.icc.assign(icc, icc + icc_length);
    std::free(icc);
    icc = nullptr;
  }
  out.pixels = Encoded16(static_cast<int>(d.output_width), static_cast<int>(d.output_height));
  line.resize(static_cast<std::size_t>(d.output_width) * 3);
  while (d.output_scanline < d.output_height) {
    JSAMPROW row = line.data();
    auto* dst = out.pixels.row(static_cast<int>(d.output_scanline));
    jpeg_read_scanlines(&d, &row, 1);
    for (std::size_t i = 0; i < line.size(); ++i)
      dst[i] = static_cast<std::uint16_t>(line[i] * 257);
  }
  jpeg_finish_decompress(&d);
  const bool damaged = errors.base.num_warnings > 0;
  jpeg_destroy_decompress(&d);
  if (damaged) return fail(name + " is damaged or cut short.");
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
  const int w = static_cast<int>(image.width), h = static_cast<int>(image.height);
  Decoded out;
  out.pixels = Encoded16(w, h);
  std::vector<std::uint8_t> eight(deep ? 0 : static_cast<std::size_t>(w) * h * 3);
  void* target = deep ? static_cast<void*>(out.pixels.data.data()) : eight.data();
  const png_color background{0, 0, 0};
  if (!png_image_finish_read(&image, &background, target, 0, nullptr)) {
    png_image_free(&image);
    return fail(name + " is damaged or cut short.");
  }
  for (std::size_t i = 0; i < out.pixels.data.size(); ++i)
    out.pixels.data[i] =
        deep ? static_cast<std::uint16_t>(65535 * srgb_encode(out.pixels.data[i] / 65535.0f) + 0.5f)
             : static_cast<std::uint16_t>(eight[i] * 257);
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
  Decoded out;
  out.pixels = Encoded16(static_cast<int>(w), static_cast<int>(h));
  std::vector<std::uint8_t> line(static_cast<std::size_t>(TIFFScanlineSize64(tif.get())));
  for (std::uint32_t y = 0; y < h; ++y) {
    if (TIFFReadScanline(tif.get(), line.data(), y) < 0)
      return fail(name + " is damaged or cut short.");
    auto* dst = out.pixels.row(static_cast<int>(y));
    for (std::uint32_t x = 0; x < w; ++x)
      for (int c = 0; c < 3; ++c) {
        const std::size_t i = static_cast<std::size_t>(x) * samples + (samples >= 3 ? c : 0);
        std::uint16_t v = 0;
        if (bits == 16)
          std::memcpy(&v, line.data() + 2 * i, 2);
        else
          v = static_cast<std::uint16_t>(line[i] * 257);
        dst[3 * x + c] = v;
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

bool linearise(const Decoded& in, Image& out) {
  Profile source(in.icc.empty()
                     ? nullptr
                     : cmsOpenProfileFromMem(in.icc.data(), static_cast<unsigned>(in.icc.size())),
                 cmsCloseProfile);
  if (!source || cmsGetColorSpace(source.get()) != cmsSigRgbData)
    source = Profile(cmsCreate_sRGBProfile(), cmsCloseProfile);
  const Profile target = working_profile();
  std::unique_ptr<void, decltype(&cmsDeleteTransform)> transform(
      cmsCreateTransform(source.get(), TYPE_RGB_16, target.get(), TYPE_RGB_FLT,
                         INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOCACHE | cmsFLAGS_NOOPTIMIZE),
      cmsDeleteTransform);
  if (!transform) return false;
  out = Image(in.pixels.width, in.pixels.height);
  std::vector<float> line(static_cast<std::size_t>(out.width) * 3);
  for (int y = 0; y < out.height; ++y) {
    cmsDoTransform(transform.get(), in.pixels.row(y), line.data(),
                   static_cast<unsigned>(out.width));
    for (int c = 0; c < 3; ++c)
      for (int x = 0; x < out.width; ++x) out.planes[c].at(x, y) = line[3 * x + c];
  }
  return true;
}

int read_orientation(const std::filesystem::path& path) {
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

Result<SensorFrame> read_still(const std::filesystem::path& path) {
  const std::string name = path.filename().string();
  std::ifstream file(path, std::ios::binary);
  if (!file) return fail(name + " cannot be opened.");
  std::vector<std::uint8_t> bytes((std::istreambuf_iterator<char>(file)), {});
  Result<Decoded> decoded =
      bytes.size() > 3 && bytes[0] == 0xFF && bytes[1] == 0xD8   ? decode_jpeg(name, bytes)
      : bytes.size() > 8 && png_sig_cmp(bytes.data(), 0, 8) == 0 ? decode_png(name, bytes)
                                                                 : decode_tiff(name, path);
  if (!decoded) return tl::unexpected(decoded.error());
  SensorFrame out;
  out.colour.kelvin1 = out.colour.kelvin2 = 6504;
  out.orientation = read_orientation(path);
  if (!linearise(*decoded, out.rgb))
    return fail(name + " has a colour profile that cannot be used.");
  return out;
}

}  // namespace tsukimi
