// SPDX-License-Identifier: GPL-3.0-or-later
#include "folder/card.h"

#include <algorithm>
#include <map>
#include <set>

#include "base/copy.h"
#include "base/file.h"
#include "folder/originals.h"

namespace tsukimi {
namespace fs = std::filesystem;

std::uintmax_t Card::bytes(const Part& part) const {
  std::uintmax_t sum = 0;
  for (int i : part.frames) sum += scan.frames[i].bytes;
  return sum;
}

Result<Card> read_card(const fs::path& path, Pairs pairs, const Work& work) {
  std::error_code ec;
  Card card;
  card.root = fs::is_directory(path / "DCIM", ec) ? path / "DCIM" : path;
  auto listed = list_frames(card.root, pairs, true);
  if (!listed) return tl::unexpected(listed.error());
  if (listed->files.empty()) return fail("There are no pictures on " + path.string() + ".");
  std::vector<FrameInfo> infos;
  if (!read_infos(listed->files, infos, work))
    return fail("Reading " + path.string() + " was cancelled.");
  // A frame is known by its path below the root, so that one name may stand in two subfolders.
  std::map<std::string, fs::path> by_name;
  for (std::size_t i = 0; i < infos.size(); ++i) {
    infos[i].file = listed->files[i].lexically_relative(card.root).generic_string();
    by_name[infos[i].file] = listed->files[i];
  }
  card.scan = arrange(card.root, std::move(infos), *listed, {FrameOrder::name, pairs, {}});
  // A counter that starts anew in another subfolder is in the order of the clock, not of the names.
  if (card.scan.ordering.backwards > 0 && !card.scan.ordering.some_without_time)
    card.scan =
        arrange(card.root, std::move(card.scan.frames), *listed, {FrameOrder::time, pairs, {}});
  for (const auto& f : card.scan.frames) card.files.push_back(by_name.at(f.file));
  return card;
}

std::vector<std::string> brought_names(const Card& card, const Part& part) {
  std::set<std::string> seen;
  bool twice = false;
  for (int i : part.frames) twice |= !seen.insert(card.files[i].filename().string()).second;
  std::vector<std::string> out;
  for (int i : part.frames) {
    const fs::path& file = card.files[i];
    const std::string name = file.filename().string();
    out.push_back(twice ? file.parent_path().filename().string() + "_" + name : name);
  }
  return out;
}

Result<BringReport> bring_in(const Card& card, const Part& part, const fs::path& to,
                             const Work& work) {
  // The folder that was named as the card counts as one, even without a DCIM folder in it.
  const fs::path of = card_of(card.root);
  if (lies_in(to, of.empty() ? card.root : of) || !card_of(to).empty())
    return fail("Choose a folder that is not on the card, other than " + to.string() +
                "; the card is only ever read.");
  std::error_code ec;
  fs::create_directories(to, ec);
  if (!is_folder(to))
    return fail("The folder " + to.string() + " cannot be made: " + ec.message() + ".");
  remove_leftovers(to);
  const auto names = brought_names(card, part);
  BringReport report;
  report.total = static_cast<int>(names.size());
  std::vector<bool> there(names.size());
  std::uintmax_t needed = 0;
  for (std::size_t k = 0; k < names.size() && !work.stop(); ++k) {
    const fs::path &from = card.files[part.frames[k]], target = to / names[k];
    if (fs::exists(target, ec)) {
      const auto same = same_content(from, target);
      if (!same) return fail(same.error().message);
      if (!*same)
        return fail(
            target.string() +
            " is there already and is another picture; nothing was copied. Choose another folder.");
      there[k] = true;
      work.report(++report.there, report.total);
    } else {
      needed += card.scan.frames[part.frames[k]].bytes;
    }
  }
  const auto space = fs::space(to, ec);
  if (!ec && space.available < needed)
    return fail(to.string() + " has room for " + std::to_string(space.available >> 20) +
                " MB, but " + std::to_string((needed >> 20) + 1) +
                " MB are to be copied. Nothing was copied.");
  for (std::size_t k = 0; k < names.size() && report.problem.empty(); ++k) {
    if (there[k]) continue;
    if ((report.cancelled = work.stop())) break;
    if (const auto ok = copy_verified(card.files[part.frames[k]], to / names[k], work); !ok) {
      if ((report.cancelled = work.stop())) break;
      report.problem = ok.error().message + " " + std::to_string(report.copied + report.there) +
                       " of " + std::to_string(report.total) + " frames are safe in " +
                       to.string() + "; bring in again to go on from there.";
    } else {
      work.report(++report.copied + report.there, report.total);
    }
  }
  // The card may be emptied now: the names have to be on the disk as the files are.
  if (auto ok = sync_folder(to); !ok && report.problem.empty()) report.problem = ok.error().message;
  return report;
}

}  // namespace tsukimi
