#include "app/state/saved_looks.h"

#include "app/widgets/path_text.h"
#include "base/text.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

SavedLooks::SavedLooks(TaskList& tasks, Notices& notices)
    : tasks_(tasks), notices_(notices), looks_(all_looks({})) {}

void SavedLooks::read() {
  work(tr("Reading saved looks"), [] { return Result<void>(); }, {});
}

void SavedLooks::work(const QString& label, std::function<Result<void>()> step,
                      const QString& done) {
  tasks_.start(
      label,
      [this, step = std::move(step), done](const Work&) -> TaskList::Finish {
        const Result<void> ok = step();
        std::vector<std::string> wrong;
        auto looks = all_looks(looks_folder(), &wrong);
        return [this, ok, done, wrong, looks = std::move(looks)]() mutable {
          looks_ = std::move(looks);
          emit changed();
          if (!ok)
            emit notices_.problem(QString::fromStdString(ok.error().message));
          else if (!wrong.empty())
            emit notices_.message(QString::fromStdString(wrong.front()));
          else if (!done.isEmpty())
            emit notices_.message(done);
        };
      },
      false);
}

void SavedLooks::save(SavedLook look) {
  const QString name = QString::fromStdString(look.name);
  work(
      tr("Saving a look"),
      [look = std::move(look)]() -> Result<void> {
        const fs::path folder = looks_folder();
        if (folder.empty()) return fail("There is no folder for looks: this user has no home.");
        return write_look(look, look_file(folder, look));
      },
      tr("The look “%1” is saved.").arg(name));
}

void SavedLooks::remove(const SavedLook& look) {
  work(
      tr("Removing a look"),
      [file = look.file]() -> Result<void> {
        std::error_code ec;
        if (!fs::remove(file, ec) && ec)
          return fail(printable(file.string()) + " cannot be removed: " + ec.message() + ".");
        return {};
      },
      tr("The look “%1” is removed.").arg(QString::fromStdString(look.name)));
}

void SavedLooks::bring_in(const fs::path& file) {
  work(
      tr("Importing a look"),
      [file]() -> Result<void> {
        auto look = read_look(file);
        if (!look) return tl::unexpected(look.error());
        const fs::path folder = looks_folder();
        if (folder.empty()) return fail("There is no folder for looks: this user has no home.");
        return write_look(*look, look_file(folder, *look));
      },
      tr("%1 is among the saved looks.").arg(shown_path(file.filename())));
}

void SavedLooks::put_out(const SavedLook& look, const fs::path& file) {
  work(
      tr("Exporting a look"), [look, file] { return write_look(look, file); },
      tr("The look is in %1.").arg(shown_path(file)));
}

}  // namespace tsukimi::app
