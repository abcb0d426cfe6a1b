// SPDX-License-Identifier: GPL-3.0-or-later
// What the checks of a whole sequence found, kept in the cache folder: an opened shoot shows its
// suspects at once.
#pragma once

#include <optional>

#include "document/shoot/shoot.h"
#include "measure/suspects.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

struct Checks {
  std::vector<Shift> shifts;  // per frame, see FrameSigns
  std::vector<Suspect> suspects;
};

// Nothing unless exactly these frames, unchanged, were checked before.
std::optional<Checks> load_checks(const Shoot& shoot);
void save_checks(const Shoot& shoot, const Checks& checks);

// Looks for hot pixels (or remembers them) if a look of the shoot mends any and they are not known
// yet.
void know_hot_pixels(Shoot& shoot, const Work& work = {});
// Measures how the camera moved (or remembers it) if the film is steadied, a place follows the
// picture or an area is filled from other frames, and it is not known yet.
void know_motion(Shoot& shoot, ProxyStore& store, const Work& work = {});
bool wants_motion(const Shoot& shoot);  // it is asked for
bool lacks_motion(const Shoot& shoot);  // it is asked for, and not known of all frames
// The same of how the sky turned, for trails, stars that are held and places that follow them.
// asked: whether or not something needs it.
void know_sky(Shoot& shoot, ProxyStore& store, const Work& work = {}, bool asked = false);
bool wants_sky(const Shoot& shoot);
bool lacks_sky(const Shoot& shoot);

}  // namespace tsukimi
