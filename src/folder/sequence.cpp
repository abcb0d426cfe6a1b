// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/sequence.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <map>
#include <optional>

#include "base/median.h"
#include "camera/sensor_frame.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

std::string describe(const FrameInfo& a, const FrameInfo& b) {
  std::vector<std::string> parts;
  auto number = [](double v) {
    if (v <= 0) return std::string("?");
    char text[32];
    std::snprintf(text, sizeof text, "%.4g", v);
    return std::string(text);
  };
  if (a.shutter != b.shutter)
    parts.push_back("shutter " + format_shutter(a.shutter) + " → " + format_shutter(b.shutter));
  if (a.iso != b.iso) parts.push_back("ISO " + number(a.iso) + " → " + number(b.iso));
  if (a.aperture != b.aperture)
    parts.push_back("aperture f/" + number(a.aperture) + " → f/" + number(b.aperture));
  if (std::fabs(a.focal_length - b.focal_length) > 1e-6)
    parts.push_back("focal length " + number(a.focal_length) + " → " + number(b.focal_length) +
                    " mm");
  if (std::fabs(a.focus_distance - b.focus_distance) > 1e-6)
    parts.push_back("focus distance " + number(a.focus_distance) + " → " +
                    number(b.focus_distance) + " m");
  if (std::fabs(a.white_balance - b.white_balance) > 1e-6)
    parts.push_back("white balance " + number(a.white_balance) + " → " + number(b.white_balance));
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
  Size usual;
  int most = 0;
  for (const auto& [size, n] : count)
    if (n > most) most = n, usual = {size.first, size.second};
  if (usual != s.noted) s.noted = s.size = usual;
  for (auto& f : s.frames)
    if (f.usable() && f.size != usual)
      f.problem = "is " + std::to_string(f.size.width) + "×" + std::to_string(f.size.height) +
                  ", the other frames are " + std::to_string(usual.width) + "×" +
                  std::to_string(usual.height);
}

// What the user should know of the order.
void note_order(const Ordering& o, FrameOrder order, std::vector<std::string>& notes) {
  const char* by =
      order == FrameOrder::name ? "the order is by name." : "the order is by capture time.";
  if (o.wrapped) notes.push_back("The camera's counter passes 9999; the frames after it follow.");
  if (o.all_same_time)
    notes.push_back(std::string("All frames carry the same capture time; ") + by);
  else if (o.backwards)
    notes.push_back("Names and capture times disagree at " +
                    plural(static_cast<std::size_t>(o.backwards), "frame", "frames") + "; " + by);
  if (o.some_without_time) notes.push_back("Some frames carry no capture time.");
}

}  // namespace

Result<FolderScan> read_folder(const fs::path& folder, ScanOptions options, const Work& work) {
  auto listed = list_frames(folder, options.pairs);
  if (!listed) return tl::unexpected(listed.error());
  auto& files = listed->files;
  if (files.empty())
    return fail("There are no raw, JPEG, PNG or TIFF frames in " + folder.string() + ".");
  std::sort(files.begin(), files.end(), [](const fs::path& a, const fs::path& b) {
    return natural_less(a.filename().string(), b.filename().string());
  });
  if (options.first_file) options.first_file(files.front());
  std::vector<FrameInfo> infos;
  if (!read_infos(files, infos, work))
    return fail("Opening " + folder.string() + " was cancelled.");
  return arrange(folder, std::move(infos), *listed, std::move(options));
}

FolderScan arrange(const fs::path& folder, std::vector<FrameInfo> frames, const FrameFiles& files,
                   ScanOptions options) {
  FolderScan scan;
  scan.folder = fs::absolute(folder);
  scan.options = std::move(options);
  scan.pairs = files.pairs;
  scan.frames = std::move(frames);
  if (files.others)
    scan.notes.push_back(plural(files.others, "other file was", "other files were") + " left out.");
  if (scan.pairs)
    scan.notes.push_back(scan.options.pairs == Pairs::raw
                             ? plural(scan.pairs, "still picture was", "still pictures were") +
                                   " left out: a raw file of the same name is there."
                             : plural(scan.pairs, "raw file was", "raw files were") +
                                   " left out: a still picture of the same name is there.");
  scan.ordering = sort_frames(scan.frames, scan.options.order);
  note_order(scan.ordering, scan.options.order, scan.notes);
  scan.parts = split_sequences(scan.frames);
  return scan;
}

bool read_infos(const std::vector<fs::path>& files, std::vector<FrameInfo>& out, const Work& work) {
  const int n = static_cast<int>(files.size());
  out.resize(files.size());
  std::atomic<int> done{0};
  parallel_ranges(n, 4, [&](int first, int last) {
    for (int i = first; i < last && !work.stop(); ++i) {
      out[i] = read_frame_info(files[i]);
      work.report(++done, n);
    }
  });
  return !work.stop();
}

// Of shots that are one part, or all that there are.
static Bracketing brackets_of(const FolderScan& scan, const std::vector<int>& frames,
                              const std::vector<FrameInfo>& shots) {
  const auto part = std::ranges::find_if(
      scan.parts, [&](const Part& p) { return p.frames == frames || scan.parts.size() == 1; });
  if (part == scan.parts.end() || part->kind != PartKind::brackets) return {};
  Bracketing out = find_brackets(shots);
  if (out.set_size <= 1) out.set_size = part->per_moment;
  return out;
}

void group_frames(Sequence& s, const Bracketing& how) {
  s.brackets = how;
  s.frames = group_moments(shots_of(s.frames), how);
  find_facts(s);
}

Sequence make_sequence(const FolderScan& scan, const std::vector<int>& frames,
                       const std::optional<Bracketing>& how) {
  Sequence s;
  s.folder = scan.folder;
  s.order = scan.options.order;
  s.ordering = scan.ordering;
  s.pairs = scan.options.pairs;
  s.paired = static_cast<int>(scan.pairs);
  s.notes = scan.notes;
  for (int i : frames) s.frames.push_back(scan.frames[i]);
  if (frames.empty()) s.frames = scan.frames;
  s.whole_folder = s.frames.size() == scan.frames.size();
  group_frames(s, how ? *how : brackets_of(scan, frames, s.frames));
  find_size(s);
  return s;
}

void find_size(Sequence& s) {
  int tries = 3;  // the first may be damaged
  for (const auto& f : s.frames) {
    if (!f.usable() || f.size != s.noted) continue;
    const auto size = raw_size(s.folder / f.file);
    if (size) s.size = *size;
    if (size || --tries == 0) return;
  }
}

Result<Sequence> scan_folder(const fs::path& folder, const Work& work) {
  auto scan = read_folder(folder, {}, work);
  if (!scan) return tl::unexpected(scan.error());
  return make_sequence(*scan, {});
}

// fn(shot, place of its frame): frames, then what else belongs to their moments.
template <typename Fn>
static void each_shot(Sequence& s, const Fn& fn) {
  for (std::size_t i = 0; i < s.frames.size(); ++i) fn(s.frames[i], static_cast<int>(i));
  for (std::size_t i = 0; i < s.frames.size(); ++i)
    for (FrameInfo& other : s.frames[i].others) fn(other, static_cast<int>(i));
}

static void give_ids(Sequence& s) {
  int next = 0;
  each_shot(s, [&](FrameInfo& f, int) { next = std::max(next, static_cast<int>(f.id) + 1); });
  each_shot(s, [&](FrameInfo& f, int) {
    if (f.id == FrameId::none) f.id = static_cast<FrameId>(next++);
  });
  s.places.assign(static_cast<std::size_t>(next), -1);
  each_shot(s, [&](FrameInfo& f, int i) { s.places[static_cast<std::size_t>(f.id)] = i; });
}

void find_facts(Sequence& s) {
  give_ids(s);
  check_sizes(s);
  auto& frames = s.frames;
  std::vector<double> intervals;
  for (std::size_t i = 1; i < frames.size(); ++i) {
    const double d = frames[i].time - frames[i - 1].time;
    if (frames[i].time > 0 && frames[i - 1].time > 0 && d > 0) intervals.push_back(d);
  }
  s.interval = std::round(median_element(intervals) * 100) / 100;
  double squares = 0;
  int regular = 0;
  for (double d : intervals)
    if (d < 1.5 * s.interval + 1) squares += (d - s.interval) * (d - s.interval), ++regular;
  s.jitter = regular ? std::sqrt(squares / regular) : 0;
  const auto gains = comparable_gains(frames);
  std::size_t last = frames.size();  // the usable frame before; none yet
  s.gaps.clear();
  s.steps.clear();
  s.changes.clear();
  for (std::size_t i = 0; i < frames.size(); ++i) {
    const int index = static_cast<int>(i);
    if (i > 0) {
      Gap gap{index - 1, 0, false, false};
      const auto on = counted(last_file(frames[i - 1]), first_file(frames[i]));
      // Single shots that a moment lacks are no missing frame.
      const long missing = on ? (*on - 1) / std::max(s.brackets.set_size, 1) : 0;
      if (missing > 0 && *on < 5000) {
        gap.in_numbering = true;
        gap.missing = static_cast<int>(missing);
      }
      const double d = frames[i].time - frames[i - 1].time;
      if (s.interval > 0 && frames[i - 1].time > 0 && d > 1.5 * s.interval + 1) {
        gap.in_time = true;
        gap.missing =
            std::max(gap.missing, static_cast<int>(std::min(1e9, d / s.interval) + 0.5) - 1);
      }
      if (gap.in_numbering || gap.in_time) s.gaps.push_back(gap);
    }
    if (!frames[i].usable()) continue;
    if (last < frames.size()) {
      const FrameInfo& before = frames[last];
      const std::string what = describe(before, frames[i]);
      const bool exposure = before.shutter != frames[i].shutter || before.iso != frames[i].iso ||
                            before.aperture != frames[i].aperture;
      // How large a step from or to an unknown setting is only the picture can tell.
      if (exposure)
        s.steps.push_back({index, gains[i] && gains[last] ? *gains[i] - *gains[last] : 0.0, what});
      if (!what.empty()) s.changes.push_back({index, what});
    }
    last = i;
  }
}

namespace {

// The longest run of captures that ascend, out of all that have a time: which clocks to believe.
std::vector<int> ascending_frames(const std::vector<FrameInfo>& frames) {
  std::vector<int> ends, before(frames.size(), -1);  // of the best run of each length
  for (int i = 0; i < static_cast<int>(frames.size()); ++i) {
    if (!(frames[i].time > 0)) continue;
    const auto at = std::lower_bound(ends.begin(), ends.end(), i, [&](int e, int now) {
      return frames[e].time < frames[now].time;
    });
    before[i] = at == ends.begin() ? -1 : *(at - 1);
    if (at == ends.end())
      ends.push_back(i);
    else
      *at = i;
  }
  std::vector<int> out;
  for (int i = ends.empty() ? -1 : ends.back(); i >= 0; i = before[i]) out.push_back(i);
  std::reverse(out.begin(), out.end());
  return out;
}

}  // namespace

std::vector<double> time_axis(const std::vector<FrameInfo>& frames) {
  const int n = static_cast<int>(frames.size());
  std::vector<double> axis(frames.size());
  for (int i = 0; i < n; ++i) axis[i] = i;
  const std::vector<int> known = ascending_frames(frames);
  if (known.size() < 2 || 2 * known.size() < frames.size()) return axis;
  std::vector<double> steps;  // per frame, also over frames whose time is not known
  for (std::size_t k = 1; k < known.size(); ++k)
    steps.push_back((frames[known[k]].time - frames[known[k - 1]].time) /
                    (known[k] - known[k - 1]));
  const double interval = median_element(steps), start = frames[known[0]].time;
  if (!(interval > 0)) return axis;
  for (int f : known) axis[f] = (frames[f].time - start) / interval;
  // Straight between two that are known, at the usual pace before and after.
  for (std::size_t k = 1; k < known.size(); ++k)
    for (int i = known[k - 1] + 1; i < known[k]; ++i)
      axis[i] = axis[known[k - 1]] + (axis[known[k]] - axis[known[k - 1]]) * (i - known[k - 1]) /
                                         (known[k] - known[k - 1]);
  for (int i = known[0] - 1; i >= 0; --i) axis[i] = axis[i + 1] - 1;
  for (int i = known.back() + 1; i < n; ++i) axis[i] = axis[i - 1] + 1;
  return axis;
}

}  // namespace tsukimi
