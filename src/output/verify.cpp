// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/verify.h"

#include <atomic>
#include <cmath>
#include <set>

#include "base/copy.h"
#include "output/export_manifest.h"
#include "output/name_pattern.h"
#include "output/probe_film.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

// What the manifest says that there is, and what was asked for.
std::set<std::string> expected_files(const Manifest& manifest) {
  std::set<std::string> out;
  for (const auto& [name, made] : manifest.files) out.insert(name);
  for (const PlannedFiles& plan : manifest.plans)
    if (check_pattern(plan.pattern, plan.first + plan.count - 1))
      for (int i = 0; i < plan.count; ++i)
        out.insert(numbered_name(plan.pattern, plan.first + i) + plan.extension);
  for (const auto& [name, film] : manifest.films) out.insert(name);
  return out;
}

enum class State { good, missing, changed };

// What the container says that it holds.
bool holds(const fs::path& file, const PlannedFilm& film) {
  const auto probed = probe_film(file);
  // A GIF has no rate; Matroska tells times to the millisecond.
  const double seconds = static_cast<double>(film.frames) * film.rate.seconds / film.rate.frames;
  constexpr double kTicks = 0.015;
  return probed && probed->frames == film.frames && probed->size == film.size &&
         std::fabs(probed->seconds - seconds) <= kTicks;
}

State state_of(const fs::path& file, const MadeFile* made) {
  const auto stamp = stamp_of(file);
  if (!stamp || !made) return stamp ? State::changed : State::missing;
  if (stamp->bytes != made->stamp.bytes) return State::changed;
  const auto sum = file_checksum(file);
  return sum && *sum == made->sum ? State::good : State::changed;
}

State state_of(const fs::path& folder, const std::string& name, const Manifest& manifest) {
  const auto made = manifest.files.find(name);
  const State state =
      state_of(folder / name, made == manifest.files.end() ? nullptr : &made->second);
  const auto film = manifest.films.find(name);
  if (state != State::good || film == manifest.films.end()) return state;
  return holds(folder / name, film->second) ? state : State::changed;
}

}  // namespace

Result<Verified> verify_export(const fs::path& path, const Work& work) {
  const bool whole = is_folder(path);
  const fs::path folder = whole ? path : fs::path(path.string()).parent_path();
  if (!is_folder(folder.empty() ? "." : folder))
    return fail(path.string() + " is not a folder that can be read.");
  const auto manifest = read_manifest(folder.empty() ? "." : folder);
  if (!manifest) return tl::unexpected(manifest.error());
  auto expected = expected_files(*manifest);
  if (expected.empty())
    return fail(path.string() + " has no " + kManifestName + ": no export made it.");
  if (!whole) {
    const std::string name = path.filename().string();
    if (!expected.contains(name))
      return fail("No manifest knows " + path.string() + ": no export made it there.");
    expected = {name};
  }
  const std::vector<std::string> names(expected.begin(), expected.end());
  std::vector<State> states(names.size());
  std::atomic<int> done{0};
  parallel_ranges(static_cast<int>(names.size()), 1, [&](int first, int last) {
    for (int i = first; i < last && !work.stop(); ++i) {
      const auto k = static_cast<std::size_t>(i);
      states[k] = state_of(folder, names[k], *manifest);
      work.report(++done, static_cast<int>(names.size()));
    }
  });
  if (work.stop()) return fail("Cancelled.");
  Verified out;
  out.expected = static_cast<int>(names.size());
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (states[i] == State::good) ++out.good;
    if (states[i] == State::missing) out.missing.push_back(names[i]);
    if (states[i] == State::changed) out.changed.push_back(names[i]);
  }
  if (!whole || manifest->plans.empty()) return out;
  std::error_code ec;
  for (const auto& entry : fs::directory_iterator(folder, ec)) {
    const std::string name = entry.path().filename().string();
    if (!is_manifest(name) && !name.starts_with('.') && !expected.contains(name))
      out.foreign.push_back(name);
  }
  if (ec) return fail(folder.string() + " cannot be read: " + ec.message() + ".");
  std::ranges::sort(out.foreign);
  return out;
}

}  // namespace tsukimi
