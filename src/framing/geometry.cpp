#include "framing/geometry.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <numbers>

#include "image/parallel.h"

namespace tsukimi {
namespace {

// For each output sample: first input sample and weights (sum 1).
struct Kernel {
  int taps = 0;
  std::vector<int> first;
  std::vector<float> weights;
};

double lanczos3(double x) {
  x = std::fabs(x);
  if (x >= 3) return 0;
  if (x < 1e-8) return 1;
  const double p = std::numbers::pi * x;
  return 3 * std::sin(p) * std::sin(p / 3) / (p * p);
}

Kernel make_kernel(double start, double length, int output) {
  const double scale = length / output;  // input samples per output sample
  const double widen = std::max(scale, 1.0);
  Kernel k;
  k.taps = static_cast<int>(std::ceil(6 * widen)) + 1;
  k.first.resize(output);
  k.weights.resize(static_cast<std::size_t>(output) * k.taps);
  for (int i = 0; i < output; ++i) {
    const double centre = start + (i + 0.5) * scale - 0.5;
    const int first = static_cast<int>(std::floor(centre - 3 * widen)) + 1;
    k.first[i] = first;
    double sum = 0;
    for (int t = 0; t < k.taps; ++t) sum += lanczos3((first + t - centre) / widen);
    for (int t = 0; t < k.taps; ++t)
      k.weights[static_cast<std::size_t>(i) * k.taps + t] =
          static_cast<float>(lanczos3((first + t - centre) / widen) / sum);
  }
  return k;
}

bool is_identity(const Image& image, Rect part, Size size) {
  return part == Rect{} && size == image.size();
}

}  // namespace

std::optional<double> parse_aspect(const std::string& text) {
  const auto colon = text.find(':');
  if (colon == std::string::npos) return {};
  double a = 0, b = 0;
  const char* end = text.data() + text.size();
  const auto ra = std::from_chars(text.data(), text.data() + colon, a);
  const auto rb = std::from_chars(text.data() + colon + 1, end, b);
  if (ra.ec != std::errc() || ra.ptr != text.data() + colon || rb.ec != std::errc() ||
      rb.ptr != end)
    return {};
  if (!(a > 0 && b > 0 && a / b < 20 && b / a < 20)) return {};
  return a / b;
}

Rect crop_to_aspect(Size frame, double aspect) {
  const double have = static_cast<double>(frame.width) / frame.height;
  Rect r;
  if (have > aspect)
    r.w = aspect / have;
  else
    r.h = have / aspect;
  r.x = (1 - r.w) / 2;
  r.y = (1 - r.h) / 2;
  return r;
}

Rect moved_inside(Rect r, double x, double y) {
  r.x = std::clamp(x, 0.0, 1 - r.w);
  r.y = std::clamp(y, 0.0, 1 - r.h);
  return r;
}

Size natural_size(Size frame, Rect part) {
  auto even = [](double v) { return std::max(2, static_cast<int>(std::floor(v / 2 + 1e-6)) * 2); };
  return {even(frame.width * part.w), even(frame.height * part.h)};
}

Image resample(const Image& image, Rect part, Size size) {
  if (is_identity(image, part, size)) return image;
  const Kernel kx = make_kernel(part.x * image.width, part.w * image.width, size.width);
  const Kernel ky = make_kernel(part.y * image.height, part.h * image.height, size.height);
  Image out(size.width, size.height);
  parallel_ranges(size.height, 8, [&](int y0, int y1) {
    std::vector<float> line(image.width);
    for (int c = 0; c < 3; ++c)
      for (int y = y0; y < y1; ++y) {
        // Columns first: the sum over rows is contiguous and vectorises.
        std::fill(line.begin(), line.end(), 0.0f);
        for (int t = 0; t < ky.taps; ++t) {
          const float w = ky.weights[static_cast<std::size_t>(y) * ky.taps + t];
          if (w == 0) continue;
          const float* src = image.planes[c].row(std::clamp(ky.first[y] + t, 0, image.height - 1));
          for (int x = 0; x < image.width; ++x) line[x] += w * src[x];
        }
        float* dst = out.planes[c].row(y);
        for (int x = 0; x < size.width; ++x) {
          const float* w = kx.weights.data() + static_cast<std::size_t>(x) * kx.taps;
          const int first = kx.first[x];
          float sum = 0;
          if (first >= 0 && first + kx.taps <= image.width)
            for (int t = 0; t < kx.taps; ++t) sum += w[t] * line[first + t];
          else
            for (int t = 0; t < kx.taps; ++t)
              sum += w[t] * line[std::clamp(first + t, 0, image.width - 1)];
          dst[x] = sum;
        }
      }
  });
  return out;
}

}  // namespace tsukimi
