// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/demo.h"

#include <iostream>

#include "cli/commands.h"

namespace tsukimi::cli {

void add_demo(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "demo",
      "Make the demo shoot in the user's cache folder, if it is not there yet, and say where.");
  c->callback([&run] {
    run = []() -> Result<void> {
      const auto made =
          sim::make_demo(sim::demo_folder(), {terminal_progress("making the demo"), nullptr});
      if (!made) return tl::unexpected(made.error());
      std::cout << made->string() << "\n";
      return {};
    };
  });
}

}  // namespace tsukimi::cli
