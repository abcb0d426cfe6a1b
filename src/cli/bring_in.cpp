// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>

#include "cli/commands.h"
#include "folder/card.h"
#include "folder/mounted.h"

namespace tsukimi::cli {
namespace {

struct BringInOptions {
  std::string card, to;
  std::vector<int> sequences;
  bool stills = false;
};

void list(const Card& card) {
  const auto& parts = card.scan.parts;
  for (std::size_t k = 0; k < parts.size(); ++k) {
    const Part& p = parts[k];
    std::cout << k << ": " << describe(p) << ", "
              << printable(card.scan.frames[p.frames.front()].file) << " to "
              << printable(card.scan.frames[p.frames.back()].file)
              << (p.why.empty() ? "" : " (" + p.why + ")") << "\n";
  }
}

Result<void> run_bring_in(const BringInOptions& o) {
  if (o.card.empty()) {
    const auto cards = mounted_cards();
    for (const auto& card : cards) std::cout << card.string() << "\n";
    if (cards.empty()) return fail("No card is mounted: no volume has a DCIM folder.");
    return {};
  }
  const auto card = read_card(o.card, o.stills ? Pairs::still : Pairs::raw,
                              {terminal_progress("reading"), nullptr});
  if (!card) return tl::unexpected(card.error());
  if (o.to.empty()) {
    list(*card);
    return {};
  }
  const int count = static_cast<int>(card->scan.parts.size());
  std::vector<int> chosen = o.sequences;
  if (chosen.empty())
    for (int k = 0; k < count; ++k) chosen.push_back(k);
  for (int k : chosen)
    if (k < 0 || k >= count)
      return fail("There is no sequence " + std::to_string(k) + " on the card, which has " +
                  std::to_string(count) + " (from 0).");
  for (int k : chosen) {
    // Several sequences go into folders of their own: one folder, one sequence.
    const std::filesystem::path to =
        chosen.size() == 1 ? std::filesystem::path(o.to)
                           : std::filesystem::path(o.to) / ("sequence_" + std::to_string(k + 1));
    const auto report =
        bring_in(*card, card->scan.parts[k], to, {terminal_progress("copying"), cancel_flag()});
    if (!report) return tl::unexpected(report.error());
    std::cout << to.string() << ": " << report->copied << " files copied and checked";
    if (report->there) std::cout << ", " << report->there << " were there already";
    std::cout << "\n";
    if (report->cancelled) return fail("Cancelled; bring in again to go on from there.");
    if (!report->problem.empty()) return fail(report->problem);
  }
  return {};
}

}  // namespace

void add_bring_in(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "bring-in", "Copy sequences from a camera card, checked; the card is only read.");
  auto o = std::make_shared<BringInOptions>();
  c->add_option("CARD", o->card,
                "The card, or any folder with pictures below it; without it the cards that are "
                "mounted are listed");
  c->add_option("--to", o->to, "Folder for the copies; without it the sequences are listed");
  c->add_option("--sequence", o->sequences, "Only this sequence, from 0; may be given again");
  c->add_flag("--stills", o->stills,
              "Of shots that are there as raw and as still picture, bring the still picture");
  c->callback([o, &run] { run = [o] { return run_bring_in(*o); }; });
}

}  // namespace tsukimi::cli
