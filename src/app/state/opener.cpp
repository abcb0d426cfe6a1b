// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/opener.h"

#include "app/convert/path_text.h"
#include "app/convert/qimage.h"
#include "develop/display.h"
#include "document/files/shoot_file.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

// What a background task found for the window to open.
struct Found {
  Result<Shoot> shoot = fail("");
  std::shared_ptr<FolderScan> scan;  // when there is something to choose
  std::optional<Decisions> unsaved;
};

static void start_found(Found& found, Sequence sequence) {
  const FrameOrder order = sequence.order;
  found.shoot = start_shoot(std::move(sequence));
  if (!found.shoot) return;
  found.shoot->decisions.order = order;
  found.unsaved = unsaved_work({}, *found.shoot);
}

Opener::Opener(Document& document, TaskList& tasks, Notices& notices)
    : document_(document), tasks_(tasks), notices_(notices) {}

// Shows a picture of a folder while its metadata is still being read. The picture belongs to that
// opening alone: when it has ended, there is nothing left to put it into.
void Opener::show_first(const fs::path& file, std::weak_ptr<Opening> opening) {
  tasks_.start(
      tr("First picture"),
      [this, file, opening, read = first_reader](const Work&) -> TaskList::Finish {
        const auto sensor = read(file);
        if (!sensor) return {};
        const QImage image = to_qimage(to_srgb8(develop_as_shot(make_proxy(*sensor))));
        return [this, opening, image] {
          const auto still = opening.lock();
          if (!still) return;
          still->first_look = image;
          emit opening_changed();
        };
      },
      false, [](const Error&) {});  // what is wrong with the file is said by who opens it
}

void Opener::end() {
  opening_.reset();
  emit opening_changed();
}

void Opener::give_up() {
  if (opening_ && opening_->task) opening_->task->cancelled = true;
  end();
}

void Opener::open(const fs::path& path, Pairs pairs) { start(path, pairs, true); }
void Opener::open_as_saved(const fs::path& file) { start(file, Pairs::raw, false); }

void Opener::start(const fs::path& path, Pairs pairs, bool with_unsaved) {
  if (opening_) give_up();
  const fs::path given = whole_path(path);
  const auto opening = opening_ = std::make_shared<Opening>();
  // From a thread of the work, so by way of the window's.
  auto first = [this, weak = std::weak_ptr(opening)](const fs::path& f) {
    QMetaObject::invokeMethod(
        this, [this, f, weak] { show_first(f, weak); }, Qt::QueuedConnection);
  };
  emit opening_changed();
  opening->task = tasks_.start(
      tr("Opening ") + shown_path(given.filename()),
      [this, given, pairs, with_unsaved, first,
       weak = std::weak_ptr(opening)](const Work& work) -> TaskList::Finish {
        auto found = std::make_shared<Found>();
        std::error_code ec;
        const bool frame = fs::is_regular_file(given, ec) && given.extension() != ".tsukimi";
        const fs::path from = frame ? given.parent_path() : given;
        const bool folder = frame || fs::is_directory(given, ec);
        if (folder) {
          auto scan = read_folder(from, {FrameOrder::name, pairs, first}, work);
          if (!scan)
            found->shoot = tl::unexpected(scan.error());
          else if (scan->parts.size() > 1 || (scan->pairs > 0 && pairs == Pairs::raw))
            found->scan = std::make_shared<FolderScan>(std::move(*scan));
          else
            start_found(*found, make_sequence(*scan, {}));
        } else {
          found->shoot = open_shoot(from, work);
          if (found->shoot && with_unsaved) found->unsaved = unsaved_work(from, *found->shoot);
        }
        return [this, found, folder, from, weak] {
          if (weak.expired()) return;  // given up, or another opening has taken its place
          if (found->scan) return emit sequences_found(found->scan);
          finish(*found, folder ? fs::path() : from);
        };
      },
      true,
      [this](const Error& why) {
        end();
        emit notices_.problem(QString::fromStdString(why.message));
      });
}

void Opener::open_part(std::shared_ptr<const FolderScan> scan, const std::vector<int>& frames) {
  if (!opening_) opening_ = std::make_shared<Opening>();
  opening_->task = tasks_.start(
      tr("Opening"),
      [this, scan, frames, weak = std::weak_ptr(opening_)](const Work&) -> TaskList::Finish {
        auto found = std::make_shared<Found>();
        start_found(*found, make_sequence(*scan, frames));
        return [this, found, weak] {
          if (!weak.expired()) finish(*found, {});
        };
      });
}

void Opener::finish(Found& found, const fs::path& file) {
  end();
  if (!found.shoot) {
    emit notices_.problem(QString::fromStdString(found.shoot.error().message));
    return;
  }
  document_.take(std::move(*found.shoot), file);
  if (!found.unsaved) return;
  document_.edit(tr("Restore unsaved work"), [&](Shoot& s) { s.decisions = *found.unsaved; });
  emit restored();
}

}  // namespace tsukimi::app
