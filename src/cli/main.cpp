// SPDX-License-Identifier: GPL-3.0-or-later
// tsukimi-batch: everything the window does, from the command line.
#include <signal.h>
#include <unistd.h>

#include <charconv>
#include <cstdio>
#include <iostream>
#include <mutex>

#include "base/parallel.h"
#include "base/text.h"
#include "cli/commands.h"
#include "output/export_manifest.h"

namespace tsukimi::cli {

ParsedSize parse_size(const std::string& text) {
  ParsedSize out{0, 0};
  const char* end = text.data() + text.size();
  const auto w = std::from_chars(text.data(), end, out.width);
  const bool cross = w.ec == std::errc() && w.ptr != end && *w.ptr == 'x';
  const auto h = cross ? std::from_chars(w.ptr + 1, end, out.height) : w;
  if (!cross || h.ec != std::errc() || h.ptr != end || out.width < 1 || out.height < 1 ||
      out.width > 65000 || out.height > 65000)
    throw CLI::ValidationError("size", "\"" + text + "\" is not a size such as 1920x1080");
  return out;
}

const std::atomic<bool>* cancel_flag() {
  static std::atomic<bool> cancelled{false};  // a signal handler can reach nothing else
  signal(SIGINT, [](int) { cancelled = true; });
  return &cancelled;
}

std::function<void(int, int)> terminal_progress(std::string what) {
  if (!isatty(STDERR_FILENO)) return {};
  return [what = std::move(what)](int done, int total) {
    static std::mutex mutex;
    const std::lock_guard lock(mutex);
    std::cerr << "\r" << what << " " << done << "/" << total << (done == total ? "\n" : "")
              << std::flush;
  };
}

// One line on stderr, harmless to any terminal.
static int report_error(std::string message, int code) {
  for (char& c : message)
    if (c == '\n') c = ' ';
  std::cerr << "tsukimi-batch: " << printable(message) << "\n";
  return code;
}

}  // namespace tsukimi::cli

int main(int argc, char** argv) {
  using namespace tsukimi;
  keep_freed_memory();
  signal(SIGXFSZ, SIG_IGN);  // a file size limit is an error like a full disk, not an end
  CLI::App app("Tsukimi: time-lapse sequences, levelled, deflickered, graded and exported.",
               "tsukimi-batch");
  app.require_subcommand(1);
  app.set_version_flag("--version",
                       "tsukimi-batch " TSUKIMI_VERSION ", engine " + std::to_string(kEngine));
  cli::Run run;
  cli::add_simulate(app, run);
  cli::add_demo(app, run);
  cli::add_inspect(app, run);
  cli::add_stack(app, run);
  cli::add_bring_in(app, run);
  cli::add_plan(app, run);
  cli::add_looks(app, run);
  cli::add_watch(app, run);
  cli::add_measure(app, run);
  cli::add_report(app, run);
  cli::add_jobs(app, run);
  cli::add_settings(app, run);
  cli::add_queue(app, run);
  cli::add_split(app, run);
  cli::add_verify(app, run);
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    if (e.get_exit_code() == 0) return app.exit(e);
    return cli::report_error(e.what(), 2);
  }
  try {
    const auto result = run();
    if (!result) return cli::report_error(result.error().message, 1);
    // What was printed has to have arrived, also when it went into a file.
    std::cout.flush();
    if (!std::cout || std::fflush(stdout) != 0)
      return cli::report_error("The output could not be written.", 1);
    return 0;
  } catch (const CLI::ParseError& e) {
    return cli::report_error(e.what(), 2);
  } catch (...) {
    std::string what;
    for (int i = 1; i < argc; ++i) what += (i > 1 ? " " : "") + std::string(argv[i]);
    return cli::report_error(error_of(std::current_exception(), "\"" + what + "\" failed").message,
                             1);
  }
}
