// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/demo.h"

#include <iostream>

#include "cli/commands.h"

namespace tsukimi::cli {

void add_demo(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "demo",
      "Make the demo shoot in the user's cache folder, if it is not there yet, and say where.");
  auto name = std::make_shared<std::string>("harbour");
  c->add_option("NAME", *name, "harbour, an evening; night, its stars; dawn, in exposure brackets")
      ->check(CLI::IsMember(sim::kDemos.names()));
  c->callback([&run, name] {
    run = [name]() -> Result<void> {
      const auto made =
          sim::make_demo(sim::demo_folder(), {terminal_progress("making the demo"), nullptr},
                         sim::kDemos.named(*name));
      if (!made) return tl::unexpected(made.error());
      std::cout << made->string() << "\n";
      return {};
    };
  });
}

}  // namespace tsukimi::cli
