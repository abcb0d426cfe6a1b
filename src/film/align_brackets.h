// SPDX-License-Identifier: GPL-3.0-or-later
// How the shots of moments lie on each other, where the camera moved between them.
#pragma once

#include "base/parallel.h"
#include "folder/sequence.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// Of every shot of merged frames but the frames' own: measured on proxies of the single shots by
// their texture, whatever their exposure (motion/registration.h). One model for the whole sequence,
// a shift: where a pair says nothing (black, white, fog) it is the median of what the same shot has
// in the other moments. Nothing when it is cancelled.
std::vector<ShotOffset> align_brackets(const Sequence& sequence, ProxyStore& store,
                                       const Work& work = {});

}  // namespace tsukimi
