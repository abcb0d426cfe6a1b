// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/saved_looks.h"

#include "app/convert/path_text.h"

namespace tsukimi::app {
namespace fs = std::filesystem;
namespace {

Result<void> keep(const SavedLook& look) {
  const fs::path folder = looks_folder();
  if (folder.empty()) return fail("There is no folder for looks: this user has no home.");
  return write_look(look, look_file(folder, look));
}

}  // namespace

SavedLooks::SavedLooks(TaskList& tasks, Notices& notices)
    : SavedList(tasks, notices), looks_(all_looks({})) {}

std::function<void()> SavedLooks::read_all(std::vector<std::string>& wrong) {
  return [this, looks = all_looks(looks_folder(), &wrong)] { looks_ = looks; };
}

void SavedLooks::read() {
  work(tr("Reading saved looks"), [] { return Result<void>(); }, {});
}

void SavedLooks::save(SavedLook look) {
  const QString name = QString::fromStdString(look.name);
  work(
      tr("Saving a look"), [look = std::move(look)] { return keep(look); },
      tr("The look “%1” is saved.").arg(name));
}

void SavedLooks::remove(const SavedLook& look) {
  remove_file(tr("Removing a look"), look.file,
              tr("The look “%1” is removed.").arg(QString::fromStdString(look.name)));
}

void SavedLooks::bring_in(const fs::path& file) {
  work(
      tr("Importing a look"),
      [file]() -> Result<void> {
        auto look = read_look(file);
        if (!look) return tl::unexpected(look.error());
        return keep(*look);
      },
      tr("%1 is among the saved looks.").arg(shown_path(file.filename())));
}

void SavedLooks::put_out(const SavedLook& look, const fs::path& file) {
  work(
      tr("Exporting a look"), [look, file] { return write_look(look, file); },
      tr("The look is in %1.").arg(shown_path(file)));
}

}  // namespace tsukimi::app
