#include "output/verify.h"

#include <atomic>
#include <set>

#include "base/copy.h"
#include "output/export_manifest.h"
#include "output/name_pattern.h"

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
  return out;
}

enum class State { good, missing, changed };

State state_of(const fs::path& file, const MadeFile* made) {
  const auto stamp = stamp_of(file);
  if (!stamp || !made) return stamp ? State::changed : State::missing;
  if (stamp->bytes != made->stamp.bytes) return State::changed;
  const auto sum = file_checksum(file);
  return sum && *sum == made->sum ? State::good : State::changed;
}

}  // namespace

Result<Verified> verify_export(const fs::path& folder, const Work& work) {
  if (!is_folder(folder)) return fail(folder.string() + " is not a folder that can be read.");
  if (!stamp_of(folder / kManifestName))
    return fail(folder.string() + " has no " + kManifestName + ": no export made it.");
  const auto manifest = read_manifest(folder);
  if (!manifest) return tl::unexpected(manifest.error());
  const auto expected = expected_files(*manifest);
  const std::vector<std::string> names(expected.begin(), expected.end());
  std::vector<State> states(names.size());
  std::atomic<int> done{0};
  parallel_ranges(static_cast<int>(names.size()), 1, [&](int first, int last) {
    for (int i = first; i < last && !work.stop(); ++i) {
      const std::string& name = names[static_cast<std::size_t>(i)];
      const auto made = manifest->files.find(name);
      states[static_cast<std::size_t>(i)] =
          state_of(folder / name, made == manifest->files.end() ? nullptr : &made->second);
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
  std::error_code ec;
  for (const auto& entry : fs::directory_iterator(folder, ec)) {
    const std::string name = entry.path().filename().string();
    if (name != kManifestName && !name.starts_with('.') && !expected.contains(name))
      out.foreign.push_back(name);
  }
  if (ec) return fail(folder.string() + " cannot be read: " + ec.message() + ".");
  std::ranges::sort(out.foreign);
  return out;
}

}  // namespace tsukimi
