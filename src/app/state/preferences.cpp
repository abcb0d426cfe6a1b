// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/state/preferences.h"

#include <memory>

#include "app/convert/path_text.h"
#include "base/parallel.h"

namespace tsukimi::app {

Preferences Preferences::read() {
  const QSettings s;
  Preferences p;
  auto number = [&](const char* key, int otherwise, int least, int most) {
    return std::clamp(s.value(key, otherwise).toInt(), least, most);
  };
  p.cache = path_of(s.value("preferences/cache").toString());
  p.cache_gb = number("preferences/cache_gb", p.cache_gb, 1, 1000);
  p.pictures_mb = number("preferences/pictures_mb", p.pictures_mb, 0, 64000);
  p.threads = number("preferences/threads", p.threads, 0, 256);
  p.finish_at_rest = s.value("preferences/finish_at_rest", p.finish_at_rest).toBool();
  p.surround = number("preferences/surround", p.surround, 0, 60);
  p.text = number("preferences/text", p.text, 80, 200);
  p.notify = s.value("preferences/notify", p.notify).toBool();
  p.sound = s.value("preferences/sound", p.sound).toBool();
  return p;
}

void Preferences::write() const {
  QSettings s;
  s.setValue("preferences/cache", text_of(cache));
  s.setValue("preferences/cache_gb", cache_gb);
  s.setValue("preferences/pictures_mb", pictures_mb);
  s.setValue("preferences/threads", threads);
  s.setValue("preferences/finish_at_rest", finish_at_rest);
  s.setValue("preferences/surround", surround);
  s.setValue("preferences/text", text);
  s.setValue("preferences/notify", notify);
  s.setValue("preferences/sound", sound);
}

void Preferences::apply() const {
  set_cache(cache, static_cast<std::uintmax_t>(cache_gb) << 30);
  static std::unique_ptr<ThreadLimit> limit;
  limit.reset();
  if (threads > 0) limit = std::make_unique<ThreadLimit>(threads);
}

}  // namespace tsukimi::app
