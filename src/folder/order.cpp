// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/order.h"

#include <algorithm>
#include <cctype>
#include <filesystem>

namespace tsukimi {
namespace {

// After natural sorting a wrapped counter shows as low numbers, a wide hole, then numbers up to
// 9999. The frames behind the hole were taken first, if the clock does not say otherwise.
bool unwrap(std::vector<FrameInfo>& frames) {
  if (frames.size() < 2) return false;
  const auto low = counter(frames.front().file), high = counter(frames.back().file);
  if (!low || !high || *high < 9990 || *high > 9999 || *low > 10) return false;
  std::size_t hole = 0;
  long widest = 0;
  for (std::size_t i = 1; i < frames.size(); ++i) {
    const auto a = counter(frames[i - 1].file), b = counter(frames[i].file);
    if (a && b && *b - *a > widest) widest = *b - *a, hole = i;
  }
  if (widest < 500) return false;
  const double early = frames[hole].time, late = frames[0].time;
  if (early > 0 && late > 0 && early >= late) return false;
  std::rotate(frames.begin(), frames.begin() + static_cast<std::ptrdiff_t>(hole), frames.end());
  return true;
}

}  // namespace

bool natural_less(const std::string& a, const std::string& b) {
  std::size_t i = 0, j = 0;
  auto digit = [](char c) { return c >= '0' && c <= '9'; };
  while (i < a.size() && j < b.size()) {
    if (digit(a[i]) && digit(b[j])) {
      std::size_t ie = i, je = j;
      while (ie < a.size() && digit(a[ie])) ++ie;
      while (je < b.size() && digit(b[je])) ++je;
      std::size_t is = i, js = j;
      while (is < ie - 1 && a[is] == '0') ++is;
      while (js < je - 1 && b[js] == '0') ++js;
      if (ie - is != je - js) return ie - is < je - js;
      const int c = a.compare(is, ie - is, b, js, je - js);
      if (c != 0) return c < 0;
      i = ie, j = je;
    } else {
      const int ca = std::tolower(static_cast<unsigned char>(a[i])),
                cb = std::tolower(static_cast<unsigned char>(b[j]));
      if (ca != cb) return ca < cb;
      ++i, ++j;
    }
  }
  if (a.size() - i != b.size() - j) return a.size() - i < b.size() - j;
  return a < b;  // names alike but for case or leading zeros still have one order
}

std::optional<long> counter(const std::string& file) {
  const std::string stem = std::filesystem::path(file).stem().string();
  std::size_t end = stem.find_last_of("0123456789");
  if (end == std::string::npos) return {};
  std::size_t begin = end;
  while (begin > 0 && std::isdigit(static_cast<unsigned char>(stem[begin - 1]))) --begin;
  if (end - begin > 9) return {};
  return std::stol(stem.substr(begin, end - begin + 1));
}

std::optional<long> counted(const std::string& a, const std::string& b) {
  const auto x = counter(a), y = counter(b);
  if (!x || !y) return {};
  if (*y<*x&& * x> 9900 && *x <= 9999 && *y < 100) return *y + 9999 - *x + (*y == 0 ? 1 : 0);
  return *y - *x;
}

Ordering sort_frames(std::vector<FrameInfo>& frames, FrameOrder order) {
  Ordering out;
  std::sort(frames.begin(), frames.end(),
            [](const FrameInfo& a, const FrameInfo& b) { return natural_less(a.file, b.file); });
  out.wrapped = unwrap(frames);
  double before = 0, first = 0;
  out.all_same_time = frames.size() > 1;
  for (const auto& f : frames) {
    if (f.time <= 0) {
      out.some_without_time |= f.usable();
      continue;
    }
    if (first == 0) first = f.time;
    out.all_same_time &= f.time == first;
    out.backwards += f.time < before;
    before = f.time;
  }
  out.all_same_time &= first > 0;
  if (order == FrameOrder::time) {
    std::vector<std::pair<double, FrameInfo>> timed;
    double last = 0;
    for (auto& f : frames) {
      if (f.time > 0) last = f.time;
      timed.emplace_back(last, std::move(f));
    }
    std::stable_sort(timed.begin(), timed.end(),
                     [](const auto& a, const auto& b) { return a.first < b.first; });
    for (std::size_t i = 0; i < frames.size(); ++i) frames[i] = std::move(timed[i].second);
  }
  return out;
}

}  // namespace tsukimi
