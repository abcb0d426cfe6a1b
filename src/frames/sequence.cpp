#include "frames/sequence.h"

#include <algorithm>
#include <atomic>
#include <cctype>
#include <cmath>
#include <map>
#include <optional>
#include <set>

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

enum class Kind { raw, still, other };

Kind kind_of(const fs::path& path) {
  static const std::set<std::string> raw{".dng", ".cr2", ".cr3", ".crw", ".nef", ".nrw", ".arw",
                                         ".srf", ".sr2", ".raf", ".orf", ".rw2", ".pef", ".srw",
                                         ".raw", ".rwl", ".iiq", ".3fr", ".fff", ".mos", ".mrw",
                                         ".x3f", ".erf", ".kdc", ".dcr", ".mef", ".gpr"};
  static const std::set<std::string> still{".jpg", ".jpeg", ".png", ".tif", ".tiff"};
  std::string ext = path.extension().string();
  std::transform(ext.begin(), ext.end(), ext.begin(),
                 [](unsigned char c) { return std::tolower(c); });
  return raw.count(ext) ? Kind::raw : still.count(ext) ? Kind::still : Kind::other;
}

// The last number in a file's stem: the camera's counter.
std::optional<long> counter(const std::string& file) {
  const std::string stem = fs::path(file).stem().string();
  std::size_t end = stem.find_last_of("0123456789");
  if (end == std::string::npos) return {};
  std::size_t begin = end;
  while (begin > 0 && std::isdigit(static_cast<unsigned char>(stem[begin - 1]))) --begin;
  if (end - begin > 9) return {};
  return std::stol(stem.substr(begin, end - begin + 1));
}

double median(std::vector<double> v) {
  if (v.empty()) return 0;
  std::nth_element(v.begin(), v.begin() + v.size() / 2, v.end());
  return v[v.size() / 2];
}

std::string describe(const FrameInfo& a, const FrameInfo& b) {
  std::vector<std::string> parts;
  auto number = [](double v) {
    char text[32];
    std::snprintf(text, sizeof text, "%.4g", v);
    return std::string(text);
  };
  if (a.shutter != b.shutter)
    parts.push_back("shutter " + format_shutter(a.shutter) + " → " + format_shutter(b.shutter));
  if (a.iso != b.iso) parts.push_back("ISO " + number(a.iso) + " → " + number(b.iso));
  if (a.aperture != b.aperture)
    parts.push_back("aperture f/" + number(a.aperture) + " → f/" + number(b.aperture));
  std::string out;
  for (const auto& p : parts) out += (out.empty() ? "" : ", ") + p;
  return out;
}

std::string plural(std::size_t n, const char* one, const char* many) {
  return std::to_string(n) + " " + (n == 1 ? one : many);
}

void check_sizes(Sequence& s) {
  std::map<std::pair<int, int>, int> count;
  for (const auto& f : s.frames)
    if (f.usable()) ++count[{f.size.width, f.size.height}];
  int most = 0;
  for (const auto& [size, n] : count)
    if (n > most) most = n, s.size = {size.first, size.second};
  for (auto& f : s.frames)
    if (f.usable() && f.size != s.size)
      f.problem = "is " + std::to_string(f.size.width) + "×" + std::to_string(f.size.height) +
                  ", the other frames are " + std::to_string(s.size.width) + "×" +
                  std::to_string(s.size.height);
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

Result<Sequence> scan_folder(const fs::path& folder, const Work& work) {
  std::error_code ec;
  if (!fs::is_directory(folder, ec))
    return fail(folder.string() + " is not a folder that can be opened.");
  std::vector<fs::path> files;
  std::set<std::string> raw_stems;
  std::size_t others = 0, pairs = 0;
  for (auto it = fs::directory_iterator(folder, fs::directory_options::skip_permission_denied, ec);
       !ec && it != fs::directory_iterator(); it.increment(ec)) {
    const fs::path& p = it->path();
    std::error_code ignored;
    if (p.filename().string().starts_with(".") || fs::is_directory(p, ignored)) continue;
    const Kind kind = kind_of(p);
    if (kind == Kind::other) {
      ++others;
      continue;
    }
    if (kind == Kind::raw) raw_stems.insert(p.stem().string());
    files.push_back(p);
  }
  if (ec) return fail("The folder " + folder.string() + " cannot be read: " + ec.message() + ".");
  // A raw file and a JPEG of the same shot are one frame: the raw file is taken.
  std::erase_if(files, [&](const fs::path& p) {
    const bool twin = kind_of(p) == Kind::still && raw_stems.count(p.stem().string());
    pairs += twin;
    return twin;
  });
  if (files.empty())
    return fail("There are no raw, JPEG, PNG or TIFF frames in " + folder.string() + ".");
  std::sort(files.begin(), files.end(), [](const fs::path& a, const fs::path& b) {
    return natural_less(a.filename().string(), b.filename().string());
  });

  Sequence s;
  s.folder = fs::absolute(folder);
  s.frames.resize(files.size());
  std::atomic<int> done{0};
  parallel_ranges(static_cast<int>(files.size()), 4, [&](int first, int last) {
    for (int i = first; i < last && !work.stop(); ++i) {
      s.frames[i] = read_frame_info(files[i]);
      work.report(++done, static_cast<int>(files.size()));
    }
  });
  if (work.stop()) return fail("Opening " + folder.string() + " was cancelled.");
  if (others)
    s.notes.push_back(plural(others, "other file was", "other files were") + " left out.");
  if (pairs)
    s.notes.push_back(plural(pairs, "still picture was", "still pictures were") +
                      " left out: a raw file of the same name is there.");
  find_facts(s);
  return s;
}

void find_facts(Sequence& s) {
  check_sizes(s);
  auto& frames = s.frames;
  std::vector<double> intervals;
  std::size_t against = 0;
  for (std::size_t i = 1; i < frames.size(); ++i) {
    if (frames[i].time <= 0 || frames[i - 1].time <= 0) continue;
    const double d = frames[i].time - frames[i - 1].time;
    if (d < 0) ++against;
    if (d > 0) intervals.push_back(d);
  }
  s.interval = std::round(median(intervals) * 100) / 100;
  if (against)
    s.notes.push_back("Names and capture times disagree at " + plural(against, "frame", "frames") +
                      "; the order is by name.");
  const FrameInfo* last = nullptr;
  s.gaps.clear();
  s.steps.clear();
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const int index = static_cast<int>(i);
    if (i > 0) {
      Gap gap{index - 1, 0, false, false};
      const auto a = counter(frames[i - 1].file), b = counter(frames[i].file);
      if (a && b && *b > *a + 1 && *b - *a < 5000) {
        gap.in_numbering = true;
        gap.missing = static_cast<int>(*b - *a - 1);
      }
      const double d = frames[i].time - frames[i - 1].time;
      if (s.interval > 0 && frames[i - 1].time > 0 && d > 1.5 * s.interval + 1) {
        gap.in_time = true;
        gap.missing = std::max(gap.missing, static_cast<int>(std::lround(d / s.interval)) - 1);
      }
      if (gap.in_numbering || gap.in_time) s.gaps.push_back(gap);
    }
    if (!frames[i].usable()) continue;
    if (last && (last->shutter != frames[i].shutter || last->iso != frames[i].iso ||
                 last->aperture != frames[i].aperture))
      s.steps.push_back(
          {index, exact_gain(frames[i]) - exact_gain(*last), describe(*last, frames[i])});
    last = &frames[i];
  }
}

std::vector<double> time_axis(const std::vector<FrameInfo>& frames) {
  std::vector<double> axis(frames.size());
  std::vector<double> steps;
  bool ascending = true;
  for (std::size_t i = 0; i < frames.size(); ++i) {
    axis[i] = static_cast<double>(i);
    ascending &= frames[i].time > 0 && (i == 0 || frames[i].time > frames[i - 1].time);
    if (i > 0) steps.push_back(frames[i].time - frames[i - 1].time);
  }
  const double interval = ascending ? median(steps) : 0;
  if (interval > 0)
    for (std::size_t i = 0; i < frames.size(); ++i)
      axis[i] = (frames[i].time - frames[0].time) / interval;
  return axis;
}

}  // namespace tsukimi
