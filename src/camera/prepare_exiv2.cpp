// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/prepare_exiv2.h"

#include <exiv2/exiv2.hpp>
#include <mutex>

namespace tsukimi {

void prepare_exiv2() {
  static std::once_flag once;
  std::call_once(once, [] {
    // The XMP toolkit is not thread safe by itself.
    static std::recursive_mutex mutex;
    Exiv2::XmpParser::initialize(
        [](void* m, bool lock) {
          auto& xmp = *static_cast<std::recursive_mutex*>(m);
          lock ? xmp.lock() : xmp.unlock();
        },
        &mutex);
    Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
  });
}

}  // namespace tsukimi
