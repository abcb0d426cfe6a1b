// SPDX-License-Identifier: GPL-3.0-or-later
// A place for the sky: where stars turn.
#pragma once

#include "document/shoot/shoot.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// A painted place above a line that is below all stars that were seen, in every part of the picture
// at the edge that is nearest (the cheapest way from left to right, by dynamic programming); its
// stroke follows edges. Its key frame is one of those with the most stars. Fails when it is not
// known how the sky turns (Shoot::sky), or the frame cannot be read.
Result<LocalPlace> propose_sky(const Shoot& shoot, ProxyStore& store);

}  // namespace tsukimi
