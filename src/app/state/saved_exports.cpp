// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/saved_exports.h"

#include "app/convert/path_text.h"
#include "document/files/saved_file.h"

namespace tsukimi::app {
namespace fs = std::filesystem;
namespace {

Result<void> keep(const SavedExport& saved) {
  const fs::path folder = exports_folder();
  if (folder.empty()) return fail("There is no folder for settings: this user has no home.");
  return write_export(saved, free_saved_file(folder, saved.name));
}

}  // namespace

SavedExports::SavedExports(Document& document, TaskList& tasks, Notices& notices)
    : SavedList(tasks, notices), document_(document), exports_(all_exports({})) {}

std::function<void()> SavedExports::read_all(std::vector<std::string>& wrong) {
  return [this, all = all_exports(exports_folder(), &wrong)] { exports_ = all; };
}

void SavedExports::read() {
  work(tr("Reading saved settings"), [] { return Result<void>(); }, {});
}

void SavedExports::apply(const SavedExport& saved) {
  document_.edit(tr("Use “%1”").arg(QString::fromStdString(saved.name)),
                 [&](Shoot& s) { tsukimi::apply(saved, s.decisions); });
}

void SavedExports::save(const SavedExport& saved) {
  work(
      tr("Saving settings"), [saved] { return keep(saved); },
      tr("“%1” is saved.").arg(QString::fromStdString(saved.name)));
}

void SavedExports::remove(const SavedExport& saved) {
  remove_file(tr("Removing settings"), saved.file,
              tr("“%1” is removed.").arg(QString::fromStdString(saved.name)));
}

void SavedExports::bring_in(const fs::path& file) {
  work(
      tr("Importing settings"),
      [file]() -> Result<void> {
        const auto saved = read_export(file);
        if (!saved) return tl::unexpected(saved.error());
        return keep(*saved);
      },
      tr("%1 is among the saved settings.").arg(shown_path(file.filename())));
}

void SavedExports::put_out(const SavedExport& saved, const fs::path& file) {
  work(
      tr("Exporting settings"), [saved, file] { return write_export(saved, file); },
      tr("The settings are in %1.").arg(shown_path(file)));
}

}  // namespace tsukimi::app
