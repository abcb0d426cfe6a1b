// SPDX-License-Identifier: GPL-3.0-or-later
// How the sky turned over a shoot: measured in the proxies.
#pragma once

#include "document/shoot/shoot.h"
#include "proxy/proxy_store.h"
#include "sky/sky_fit.h"

namespace tsukimi {

// Frames in the order of the shoot. Those that cannot be read are gone over.
SkyFit measure_sky(const Shoot& shoot, ProxyStore& store, const Work& work = {});

// What is to be said about Shoot::sky, one sentence each, of the frames that the film may have;
// nothing when it is not known yet.
std::vector<std::string> sky_notes(const Shoot& shoot);

// Whether what is decided needs it: trails whose gaps are closed or that keep streaks out, stars
// that are held, places that follow them.
bool needs_sky(const Decisions& decisions);

}  // namespace tsukimi
