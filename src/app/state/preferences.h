// SPDX-License-Identifier: GPL-3.0-or-later
// The few things a user may prefer otherwise; kept in the settings.
#pragma once

#include <QSettings>

#include "base/cache.h"

namespace tsukimi::app {

struct Preferences {
  std::filesystem::path cache;  // empty: where the system keeps caches
  int cache_gb = 10;            // 1..1000
  int pictures_mb = 0;          // memory for pictures; 0: by what is free
  int threads = 0;              // 0: all
  bool finish_at_rest = true;   // the picture is developed from its file when nothing moves
  int surround = 11;            // round the picture, per cent of white
  int text = 100;               // per cent
  bool notify = true;           // the desktop tells when the exports have ended ...
  bool sound = true;            // ... with a sound

  static Preferences read();
  void write() const;
  // What the whole program follows: cache and threads.
  void apply() const;
  bool operator==(const Preferences&) const = default;
};

}  // namespace tsukimi::app
