// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/svg_chart.h"

#include <algorithm>
#include <cmath>

#include "base/format.h"
#include "base/text.h"

namespace tsukimi {
namespace {

constexpr double kWidth = 960, kHeight = 240, kLeft = 56, kRight = 12, kTop = 34, kBottom = 26;

// 1, 2 or 5 times a power of ten, so that about `count` of them fit.
double round_step(double span, int count) {
  const double raw = std::max(span, 1e-9) / count,
               power = std::pow(10, std::floor(std::log10(raw)));
  for (const double nice : {1.0, 2.0, 5.0})
    if (raw <= nice * power) return nice * power;
  return 10 * power;
}

struct ChartScale {
  double low = 0, high = 1;
  std::size_t frames = 1;
  double x(double frame) const {
    const auto last = static_cast<double>(std::max<std::size_t>(frames, 2) - 1);
    return kLeft + (kWidth - kLeft - kRight) * frame / last;
  }
  double y(double value) const {
    return kTop + (kHeight - kTop - kBottom) * (high - value) / (high - low);
  }
};

ChartScale scale_of(const Chart& chart) {
  ChartScale out{1e300, -1e300, 1};
  for (const ChartLine& line : chart.lines) {
    out.frames = std::max(out.frames, line.values.size());
    for (double v : line.values)
      if (!std::isnan(v)) out.low = std::min(out.low, v), out.high = std::max(out.high, v);
  }
  if (out.low > out.high) out.low = 0, out.high = 1;
  const double room = std::max(0.05 * (out.high - out.low), 1e-3);
  out.low -= room, out.high += room;
  return out;
}

std::string path_of(const ChartLine& line, const ChartScale& scale) {
  std::string out;
  bool drawn = false;
  for (std::size_t f = 0; f < line.values.size(); ++f) {
    const double v = line.values[f];
    if (!std::isnan(v))
      out += format("%s%.1f %.1f", drawn ? "L" : "M", scale.x(static_cast<double>(f)), scale.y(v));
    drawn = !std::isnan(v);
  }
  return out;
}

std::string grid_lines(const Chart& chart, const ChartScale& scale) {
  std::string out;
  const double step = round_step(scale.high - scale.low, 5);
  const int decimals = step < 0.1 ? 2 : step < 1 ? 1 : 0;
  for (double v = std::ceil(scale.low / step) * step; v <= scale.high; v += step)
    out += format("<line class=\"grid\" x1=\"%.0f\" x2=\"%.0f\" y1=\"%.1f\" y2=\"%.1f\"/>", kLeft,
                  kWidth - kRight, scale.y(v), scale.y(v)) +
           format("<text x=\"%.0f\" y=\"%.1f\" text-anchor=\"end\">%.*f</text>", kLeft - 6,
                  scale.y(v) + 4, decimals, v + 0.0);
  // Frames are counted from 1.
  const auto last = static_cast<double>(scale.frames - 1);
  const double frames = std::max(1.0, round_step(last, 10));
  for (double f = 0; f <= last; f += frames)
    out += format("<text x=\"%.1f\" y=\"%.0f\" text-anchor=\"middle\">%.0f</text>", scale.x(f),
                  kHeight - 6, f + 1);
  for (int f : chart.marks)
    out += format("<line class=\"mark\" x1=\"%.1f\" x2=\"%.1f\" y1=\"%.0f\" y2=\"%.0f\"/>",
                  scale.x(f), scale.x(f), kTop, kHeight - kBottom);
  return out;
}

}  // namespace

std::string svg_of(const Chart& chart) {
  const ChartScale scale = scale_of(chart);
  std::string out = format("<svg viewBox=\"0 0 %.0f %.0f\" role=\"img\"><title>", kWidth, kHeight) +
                    markup(chart.title) + "</title>" +
                    format("<text class=\"title\" x=\"%.0f\" y=\"16\">", kLeft) +
                    markup(chart.title + (chart.unit.empty() ? "" : ", " + chart.unit)) + "</text>";
  out += grid_lines(chart, scale);
  double right = kWidth - kRight;
  for (auto line = chart.lines.rbegin(); line != chart.lines.rend(); ++line) {
    constexpr double kLetter = 7.5;
    out += format("<text x=\"%.0f\" y=\"16\" text-anchor=\"end\" style=\"fill:%s\">", right,
                  line->colour.c_str()) +
           markup(line->name) + "</text>";
    right -= kLetter * static_cast<double>(line->name.size()) + 16;
  }
  for (const ChartLine& line : chart.lines)
    out += "<path style=\"stroke:" + line.colour + "\" d=\"" + path_of(line, scale) + "\"/>";
  return out + "</svg>\n";
}

}  // namespace tsukimi
