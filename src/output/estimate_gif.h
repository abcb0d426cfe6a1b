// SPDX-License-Identifier: GPL-3.0-or-later
// How large a GIF becomes: no rule of thumb tells it, so a few of its frames are made.
#pragma once

#include "film/film.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// Bytes, from two short runs of frames, developed from proxies and encoded. Fails when none of them
// can be read.
Result<double> estimate_gif(const Shoot& shoot, const LightPlan& light, const FilmSettings& film,
                            ProxyStore& store);

}  // namespace tsukimi
