// SPDX-License-Identifier: GPL-3.0-or-later
// What of a repair the pictures have to say: from where a spot or an area is covered best, and how
// deep dust is.
#pragma once

#include "document/shoot/shoot.h"
#include "find_repairs/dust.h"
#include "find_repairs/quilt.h"
#include "proxy/proxy_store.h"

namespace tsukimi {

// The readable frames, for dust. The shoot and the store must outlive them.
std::vector<DustFrame> dust_frames(const Shoot& shoot, ProxyStore& store);

// A repair with what covers it.
struct Covered {
  Repair repair;
  double misfit = 0;  // by how many stops the light of parts of its border is off
};
constexpr double kMisfit = 0.5;  // from there on it shows
// A spot or an area covered by something like what lies round it, in frames spread over the
// sequence: the same light and the same texture at its border, on the whole. An area that no single
// place fits is covered from several (quilt.h), and a spot of which that is true becomes an area.
Result<Covered> covered(const Shoot& shoot, ProxyStore& store, Repair repair,
                        const Work& work = {});

// Everything that was left out (is_incomplete in document/files/repairs_json.h) is found. Repairs
// of which nothing can be found fail; of those that are covered by what does not fit well, or
// became an area, a sentence each is added to `notes`.
Result<void> complete_repairs(Shoot& shoot, ProxyStore& store, const Work& work = {},
                              std::vector<std::string>* notes = nullptr);

// All dust that is found becomes repairs, but where some lies already. How many were added.
int add_dust(Shoot& shoot, const std::vector<DustSpot>& found);

std::vector<Point> circle(const Point& middle, double radius, double aspect);

}  // namespace tsukimi
