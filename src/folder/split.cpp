// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/split.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <map>
#include <optional>
#include <tuple>

#include "base/median.h"
#include "folder/bracket_runs.h"

namespace tsukimi {
namespace {

using Frames = std::vector<FrameInfo>;

std::string words(const char* format, double a, double b = 0) {
  char text[96];
  std::snprintf(text, sizeof text, format, a, b);
  return text;
}

// Mean of intervals that are not gaps: finer than the median where the clock counts whole seconds.
double mean_interval(const std::vector<double>& v) {
  const double m = median_element(v);
  double sum = 0;
  int n = 0;
  for (double d : v)
    if (d > 0 && d < 1.7 * m + 1) sum += d, ++n;
  return n ? sum / n : 0;
}

double interval_of(const Frames& frames, const std::vector<int>& part, int per_moment) {
  std::vector<double> d;
  const auto step = static_cast<std::size_t>(per_moment);
  for (std::size_t k = step; k < part.size(); k += step) {
    const double a = frames[part[k - step]].time, b = frames[part[k]].time;
    if (a > 0 && b > a) d.push_back(b - a);
  }
  return std::round(median_element(d) * 100) / 100;
}

Part make_part(const Frames& frames, std::vector<int> indices, PartKind kind, int per_moment,
               std::string why) {
  Part p{kind, std::move(indices), per_moment, 0, std::move(why)};
  p.interval = interval_of(frames, p.frames, per_moment);
  return p;
}

// ---- pauses and intervals --------------------------------------------------------------------

struct Cut {
  std::size_t at;
  std::string why;
};

std::vector<double> intervals(const Frames& frames, const std::vector<int>& run, std::size_t from,
                              std::size_t to) {
  std::vector<double> d;
  for (std::size_t k = std::max<std::size_t>(from, 1); k < std::min(to, run.size()); ++k) {
    const double a = frames[run[k - 1]].time, b = frames[run[k]].time;
    if (a > 0 && b > a) d.push_back(b - a);
  }
  return d;
}

std::string pause(double seconds) {
  if (seconds < 120) return words("after a pause of %.0f s", seconds);
  if (seconds < 7200) return words("after a pause of %.0f min", seconds / 60);
  return words("after a pause of %.1f h", seconds / 3600);
}

// Another camera, whose clock stands elsewhere, or that shot at the same time: all of what follows
// for a while is earlier. Where names are in no order of time at all it says nothing.
bool clock_runs_back(const Frames& frames, const std::vector<int>& run, std::size_t k) {
  constexpr std::size_t kInOrder = 5;
  constexpr double kSure = 2;  // s; clocks that count seconds may err by one
  const std::size_t first = k - std::min(k, kInOrder), end = std::min(k + kInOrder, run.size());
  if (k - first < kInOrder || end - k < kInOrder) return false;
  const double before = frames[run[k - 1]].time;
  for (std::size_t j = first; j < end; ++j) {
    const double time = frames[run[j]].time;
    if (time <= 0 || (j >= k && time > before - kSure)) return false;
    if (j > first && j != k && time < frames[run[j - 1]].time) return false;
  }
  return true;
}

// The first place in run (from `start` on) where another sequence begins.
std::optional<Cut> next_cut(const Frames& frames, const std::vector<int>& run, std::size_t start) {
  constexpr std::size_t kWindow = 10, kFewestKnown = 5;
  for (std::size_t k = start + 1; k < run.size(); ++k) {
    const double here = frames[run[k]].time - frames[run[k - 1]].time;
    if (frames[run[k]].time <= 0 || frames[run[k - 1]].time <= 0) continue;
    if (clock_runs_back(frames, run, k))
      return Cut{k, words("the clock runs back by %.0f s: another camera?", -here)};
    const auto before =
        intervals(frames, run, std::max(start + 1, k > kWindow ? k - kWindow : 0), k);
    const auto after = intervals(frames, run, k + 1, k + 1 + kWindow);
    const double mb = mean_interval(before), ma = mean_interval(after);
    const double usual = mb > 0 ? mb : ma;
    if (usual > 0 && here > std::max(15 * usual, 30.0)) return Cut{k, pause(here)};
    if (before.size() < kFewestKnown || after.size() < kFewestKnown) continue;
    const double change = ma - mb;
    if (std::fabs(change) <= std::max(0.2 * std::max(ma, mb), 0.3)) continue;
    // A camera that waits a fixed time between exposures keeps its pause, not its interval.
    const double slower = frames[run[std::min(k + kFewestKnown, run.size() - 1)]].shutter -
                          frames[run[k - std::min(k, kFewestKnown)]].shutter;
    if (std::fabs(change - slower) < 0.35 * std::fabs(change)) continue;
    // This interval or the last must already be of the new kind, or we are early.
    const double next = frames[run[k + 1]].time - frames[run[k]].time;
    if (std::fabs(next - ma) > std::fabs(next - mb)) continue;
    return Cut{k, words("the interval changes from %.3g to %.3g s", mb, ma)};
  }
  return {};
}

// ---- settings that stay ----------------------------------------------------------------------

// A change of lens or focal length that lasts at least three frames.
std::optional<Cut> lens_cut(const Frames& frames, const std::vector<int>& run, std::size_t start) {
  const FrameInfo* held = nullptr;
  for (std::size_t k = start; k < run.size(); ++k) {
    const FrameInfo& f = frames[run[k]];
    if (!f.usable()) continue;
    if (!held) held = &f;
    const bool lens = f.lens != held->lens;
    const bool focal = std::fabs(f.focal_length - held->focal_length) > 0.5;
    if (!lens && !focal) continue;
    bool lasts = k + 3 <= run.size();
    for (std::size_t j = k; lasts && j < k + 3; ++j)
      lasts = frames[run[j]].lens == f.lens &&
              std::fabs(frames[run[j]].focal_length - f.focal_length) <= 0.5;
    if (!lasts) continue;
    return Cut{k, lens ? "another lens: " + f.lens
                       : words("the focal length changes from %.4g to %.4g mm", held->focal_length,
                               f.focal_length)};
  }
  return {};
}

// One run of one camera, lens and size.
void split_run(const Frames& frames, std::vector<int> run, std::string why,
               std::vector<Part>& parts) {
  std::vector<int> plain;
  auto flush = [&] {
    std::size_t start = 0;
    while (start < plain.size()) {
      const auto cut = next_cut(frames, plain, start);
      const std::size_t end = cut ? cut->at : plain.size();
      parts.push_back(make_part(frames,
                                {plain.begin() + static_cast<std::ptrdiff_t>(start),
                                 plain.begin() + static_cast<std::ptrdiff_t>(end)},
                                PartKind::sequence, 1, why));
      why = cut ? cut->why : std::string();
      start = end;
    }
    plain.clear();
  };
  Shots shots;
  for (int i : run) shots.push_back(frames[i]);
  for (std::size_t k = 0; k < run.size();) {
    auto [length, period] = bracket_run_at(shots, k);
    if (length == 0) {
      plain.push_back(run[k++]);
      continue;
    }
    // The rest of a moment whose first shots are missing.
    constexpr double kOneMoment = 60;  // s from the first of its shots to the next moment
    if (plain.size() < period && std::ranges::all_of(plain, [&](int f) {
          return frames[f].time > 0 && frames[run[k]].time - frames[f].time < kOneMoment;
        })) {
      k -= plain.size(), length += plain.size();
      plain.clear();
    }
    const bool first = parts.empty() && plain.empty();
    flush();
    parts.push_back(make_part(frames,
                              {run.begin() + static_cast<std::ptrdiff_t>(k),
                               run.begin() + static_cast<std::ptrdiff_t>(k + length)},
                              PartKind::brackets, static_cast<int>(period),
                              first ? why : "exposure brackets begin"));
    k += length;
    why = "after exposure brackets";
  }
  flush();
}

// Whose frame it is: frames of one body lie in one sequence, if nothing else speaks against it.
struct Body {
  std::string camera, serial;
  std::string name;  // the file's, with # for its numbers
  int width = 0, height = 0;
  auto operator<=>(const Body&) const = default;
};

Body body_of(const FrameInfo& f) {
  Body out{f.camera, f.serial, {}, f.size.width, f.size.height};
  for (const char c : f.file.substr(0, f.file.rfind('.'))) {
    const bool digit = c >= '0' && c <= '9';
    if (!digit || !out.name.ends_with('#')) out.name += digit ? '#' : c;
  }
  return out;
}

std::string difference(const Body& a, const Body& from) {
  if (a.camera != from.camera) return "another camera: " + a.camera;
  if (a.serial != from.serial)
    return "another camera of this model: " + (a.serial.empty() ? "number unknown" : a.serial);
  if (a.name != from.name) return "another name: " + a.name;
  return words("another size: %.0f×%.0f", a.width, a.height);
}

}  // namespace

std::vector<Part> split_sequences(const Frames& frames) {
  // Cameras (and names, and sizes) that shot side by side are told apart first.
  std::map<Body, std::vector<int>> bodies;
  std::vector<Body> order;
  std::optional<Body> current;
  std::vector<int> early;  // unreadable frames before any camera is known
  for (int i = 0; i < static_cast<int>(frames.size()); ++i) {
    if (frames[i].usable()) {
      current = body_of(frames[i]);
      if (!bodies.count(*current)) order.push_back(*current);
    }
    (current ? bodies[*current] : early).push_back(i);
  }
  std::vector<Part> parts;
  if (order.empty())
    return early.empty() ? parts
                         : std::vector<Part>{make_part(frames, early, PartKind::sequence, 1, "")};
  auto& first = bodies[order[0]];
  first.insert(first.begin(), early.begin(), early.end());
  // One or two odd frames are a flaw of their sequence, not a sequence.
  for (std::size_t k = order.size(); k-- > 0 && order.size() > 1;) {
    if (bodies[order[k]].size() >= 3) continue;
    auto& host = bodies[order[k == 0 ? 1 : 0]];
    host.insert(host.end(), bodies[order[k]].begin(), bodies[order[k]].end());
    std::sort(host.begin(), host.end());
    order.erase(order.begin() + static_cast<std::ptrdiff_t>(k));
  }
  for (const auto& body : order) {
    std::string why;
    if (body != order[0]) why = difference(body, order[0]);
    const std::vector<int>& all = bodies[body];
    std::size_t start = 0;
    while (start < all.size()) {
      const auto cut = lens_cut(frames, all, start);
      const std::size_t end = cut ? cut->at : all.size();
      split_run(frames,
                {all.begin() + static_cast<std::ptrdiff_t>(start),
                 all.begin() + static_cast<std::ptrdiff_t>(end)},
                why, parts);
      why = cut ? cut->why : std::string();
      start = end;
    }
  }
  std::sort(parts.begin(), parts.end(),
            [](const Part& a, const Part& b) { return a.frames[0] < b.frames[0]; });
  // A handful of frames beside real sequences are single pictures; neighbours go together.
  if (parts.size() > 1)
    for (std::size_t k = 0; k < parts.size(); ++k) {
      if (parts[k].kind != PartKind::sequence || parts[k].frames.size() >= 5) continue;
      parts[k].kind = PartKind::singles;
      if (k == 0 || parts[k - 1].kind != PartKind::singles) continue;
      auto& host = parts[k - 1].frames;
      host.insert(host.end(), parts[k].frames.begin(), parts[k].frames.end());
      parts.erase(parts.begin() + static_cast<std::ptrdiff_t>(k--));
    }
  return parts;
}

void merge_parts(const Frames& frames, std::vector<Part>& parts, std::size_t first) {
  if (first + 1 >= parts.size()) return;
  std::vector<int> all = parts[first].frames;
  all.insert(all.end(), parts[first + 1].frames.begin(), parts[first + 1].frames.end());
  std::sort(all.begin(), all.end());
  const bool alike = parts[first].kind == parts[first + 1].kind &&
                     parts[first].per_moment == parts[first + 1].per_moment;
  parts[first] = make_part(frames, std::move(all), alike ? parts[first].kind : PartKind::sequence,
                           alike ? parts[first].per_moment : 1, parts[first].why);
  parts.erase(parts.begin() + static_cast<std::ptrdiff_t>(first) + 1);
}

void split_part(const Frames& frames, std::vector<Part>& parts, std::size_t part, std::size_t at) {
  if (part >= parts.size() || at == 0 || at >= parts[part].frames.size()) return;
  const Part whole = parts[part];
  const auto middle = whole.frames.begin() + static_cast<std::ptrdiff_t>(at);
  parts[part] =
      make_part(frames, {whole.frames.begin(), middle}, whole.kind, whole.per_moment, whole.why);
  parts.insert(parts.begin() + static_cast<std::ptrdiff_t>(part) + 1,
               make_part(frames, {middle, whole.frames.end()}, whole.kind, whole.per_moment,
                         "split by hand"));
}

void move_boundary(const Frames& frames, std::vector<Part>& parts, std::size_t part, int by) {
  if (part + 1 >= parts.size()) return;
  auto &a = parts[part], &b = parts[part + 1];
  for (; by > 0 && b.frames.size() > 1; --by) {
    a.frames.push_back(b.frames.front());
    b.frames.erase(b.frames.begin());
  }
  for (; by < 0 && a.frames.size() > 1; ++by) {
    b.frames.insert(b.frames.begin(), a.frames.back());
    a.frames.pop_back();
  }
  for (Part* p : {&a, &b}) {
    std::sort(p->frames.begin(), p->frames.end());
    p->interval = interval_of(frames, p->frames, p->per_moment);
  }
}

std::string describe(const Part& p) {
  std::string out;
  const auto n = static_cast<double>(p.frames.size());
  if (p.kind == PartKind::singles)
    return n == 1 ? "1 single picture" : words("%.0f single pictures", n);
  if (p.kind == PartKind::brackets)
    out = words("%.0f brackets of %.0f", p.moments(), p.per_moment);
  else
    out = n == 1 ? "1 frame" : words("%.0f frames", n);
  if (p.interval > 0) out += words(" every %.4g s", p.interval);
  return out;
}

}  // namespace tsukimi
