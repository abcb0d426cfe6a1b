// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/saved_list.h"

#include "base/text.h"

namespace tsukimi::app {

void SavedList::work(const QString& label, Step step, const QString& done) {
  tasks_.start(
      label,
      [this, step = std::move(step), done](const Work&) -> TaskList::Finish {
        const Result<void> ok = step();
        std::vector<std::string> wrong;
        auto take = read_all(wrong);
        return [this, ok, done, wrong, take = std::move(take)] {
          take();
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

void SavedList::remove_file(const QString& label, const std::filesystem::path& file,
                            const QString& done) {
  work(
      label,
      [file]() -> Result<void> {
        std::error_code ec;
        if (!std::filesystem::remove(file, ec) && ec)
          return fail(printable(file.string()) + " cannot be removed: " + ec.message() + ".");
        return {};
      },
      done);
}

}  // namespace tsukimi::app
