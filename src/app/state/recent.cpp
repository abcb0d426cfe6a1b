// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/recent.h"

#include <QBuffer>
#include <QSettings>
#include <algorithm>

#include "app/convert/path_text.h"
#include "base/cache.h"

namespace tsukimi::app {
namespace fs = std::filesystem;

namespace {

constexpr std::size_t kMost = 12;
constexpr QSize kPicture(288, 192);

fs::path picture_file(const fs::path& shoot) {
  return cache_path("recent", cache_name(shoot.string()) + ".jpg");
}

QImage load_picture(const fs::path& shoot) {
  const auto bytes = load_cached(picture_file(shoot));
  return bytes ? QImage::fromData(bytes->data(), static_cast<int>(bytes->size())) : QImage();
}

}  // namespace

Recent::Recent(TaskList& tasks) : tasks_(tasks) {
  QSettings settings;
  // The file may say anything.
  const int n = std::min(settings.beginReadArray("shoots"), static_cast<int>(kMost));
  for (int i = 0; i < n; ++i) {
    settings.setArrayIndex(i);
    const fs::path path = path_of(settings.value("path").toString());
    if (path.empty()) continue;
    list_.push_back({path,
                     settings.value("name").toString(),
                     std::max(settings.value("frames").toInt(), 0),
                     settings.value("shot").toDate(),
                     {},
                     false});
  }
  settings.endArray();
}

void Recent::save() const {
  QSettings settings;
  settings.remove("shoots");
  settings.beginWriteArray("shoots");
  for (std::size_t i = 0; i < list_.size(); ++i) {
    settings.setArrayIndex(static_cast<int>(i));
    settings.setValue("path", text_of(list_[i].path));
    settings.setValue("name", list_[i].name);
    settings.setValue("frames", list_[i].frames);
    settings.setValue("shot", list_[i].shot);
  }
  settings.endArray();
}

RecentShoot* Recent::find(const fs::path& path) {
  const auto it = std::ranges::find(list_, path, &RecentShoot::path);
  return it == list_.end() ? nullptr : &*it;
}

void Recent::remember(RecentShoot shoot) {
  if (const RecentShoot* known = find(shoot.path); known && shoot.picture.isNull())
    shoot.picture = known->picture;
  std::erase_if(list_, [&](const RecentShoot& s) { return s.path == shoot.path; });
  list_.insert(list_.begin(), std::move(shoot));
  if (list_.size() > kMost) list_.resize(kMost);
  save();
  emit changed();
}

void Recent::set_picture(const fs::path& path, const QImage& picture) {
  RecentShoot* shoot = find(path);
  if (!shoot || picture.isNull()) return;
  shoot->picture = picture.scaled(kPicture, Qt::KeepAspectRatio, Qt::SmoothTransformation);
  emit changed();
  tasks_.start(
      tr("Picture of the shoot"),
      [path, small = shoot->picture](const Work&) -> TaskList::Finish {
        QByteArray bytes;
        QBuffer buffer(&bytes);
        small.save(&buffer, "JPG", 88);
        (void)save_cached(picture_file(path),
                          {reinterpret_cast<const std::uint8_t*>(bytes.constData()),
                           static_cast<std::size_t>(bytes.size())});
        return {};
      },
      false, [](const Error&) {});  // the list does without
}

void Recent::forget(const fs::path& path) {
  std::erase_if(list_, [&](const RecentShoot& s) { return s.path == path; });
  save();
  emit changed();
}

void Recent::look() {
  std::vector<fs::path> paths;
  for (const auto& s : list_) paths.push_back(s.path);
  tasks_.start(
      tr("Recent shoots"),
      [this, paths](const Work&) -> TaskList::Finish {
        std::vector<std::pair<bool, QImage>> seen;
        for (const auto& path : paths) {
          std::error_code ec;
          seen.emplace_back(fs::exists(path, ec), load_picture(path));
        }
        return [this, paths, seen] {
          for (std::size_t i = 0; i < paths.size(); ++i)
            if (RecentShoot* shoot = find(paths[i])) {
              shoot->missing = !seen[i].first;
              if (shoot->picture.isNull()) shoot->picture = seen[i].second;
            }
          emit changed();
        };
      },
      false, [](const Error&) {});
}

}  // namespace tsukimi::app
