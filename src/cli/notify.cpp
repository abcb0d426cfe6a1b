// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/notify.h"

#include <systemd/sd-bus.h>

namespace tsukimi::cli {

void notify_desktop(const std::string& title, const std::string& text, bool sound) {
  sd_bus* bus = nullptr;
  if (sd_bus_open_user(&bus) < 0) return;
  // Name of the program, replaced note, icon, title, text, buttons, hints, time until it goes.
  constexpr const char* kService = "org.freedesktop.Notifications";
  if (sound)
    sd_bus_call_method(bus, kService, "/org/freedesktop/Notifications", kService, "Notify", nullptr,
                       nullptr, "susssasa{sv}i", "Tsukimi", 0u, "tsukimi", title.c_str(),
                       text.c_str(), 0, 1, "sound-name", "s", "complete", -1);
  else
    sd_bus_call_method(bus, kService, "/org/freedesktop/Notifications", kService, "Notify", nullptr,
                       nullptr, "susssasa{sv}i", "Tsukimi", 0u, "tsukimi", title.c_str(),
                       text.c_str(), 0, 1, "suppress-sound", "b", 1, -1);
  sd_bus_flush_close_unref(bus);
}

}  // namespace tsukimi::cli
