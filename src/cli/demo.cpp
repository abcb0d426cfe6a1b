#include "sim/demo.h"

#include <iostream>

#include "base/text.h"
#include "cli/commands.h"

namespace tsukimi::cli {

void add_demo(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("demo",
                               "Make the demo shoot, if it is not there yet, and say where it is.");
  auto folder = std::make_shared<std::string>();
  c->add_option("--in", *folder, "Another folder than that in the user's cache");
  c->callback([folder, &run] {
    run = [folder]() -> Result<void> {
      const auto made =
          sim::make_demo(folder->empty() ? sim::demo_folder() : std::filesystem::path(*folder),
                         {terminal_progress("making the demo"), nullptr});
      if (!made) return tl::unexpected(made.error());
      std::cout << made->string() << "\n";
      return {};
    };
  });
}

}  // namespace tsukimi::cli
