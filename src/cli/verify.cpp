// SPDX-License-Identifier: GPL-3.0-or-later
#include <iostream>
#include <nlohmann/json.hpp>

#include "base/text.h"
#include "cli/commands.h"
#include "output/verify.h"

namespace tsukimi::cli {
namespace {

void print_names(const char* what, const std::vector<std::string>& names) {
  for (const auto& name : names) std::cout << what << " " << printable(name) << "\n";
}

nlohmann::json json_names(const std::vector<std::string>& names) {
  auto out = nlohmann::json::array();
  for (const auto& name : names) out.push_back(to_json_name(name));
  return out;
}

Result<void> run_verify(const std::string& path, bool as_json) {
  const auto found = verify_export(path, {terminal_progress("verifying"), cancel_flag()});
  if (!found) return tl::unexpected(found.error());
  if (as_json) {
    std::cout << nlohmann::json{{"path", to_json_name(path)},
                                {"expected", found->expected},
                                {"good", found->good},
                                {"missing", json_names(found->missing)},
                                {"changed", json_names(found->changed)},
                                {"foreign", json_names(found->foreign)}}
                     .dump(1)
              << "\n";
  } else {
    print_names("missing", found->missing);
    print_names("changed", found->changed);
    print_names("foreign", found->foreign);
    std::cout << found->good << " of " << found->expected << " files are good\n";
  }
  if (found->complete()) return {};
  return fail(path + " is not complete: " + std::to_string(found->missing.size()) + " missing, " +
              std::to_string(found->changed.size()) + " changed, " +
              std::to_string(found->foreign.size()) + " foreign.");
}

}  // namespace

void add_verify(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("verify", "Prove that exported frames are there and unchanged.");
  auto path = std::make_shared<std::string>();
  auto as_json = std::make_shared<bool>(false);
  c->add_option("PATH", *path, "The folder of an export")->required();
  c->add_flag("--json", *as_json, "Print JSON");
  c->callback([path, as_json, &run] { run = [=] { return run_verify(*path, *as_json); }; });
}

}  // namespace tsukimi::cli
