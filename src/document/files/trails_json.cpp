// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/trails_json.h"

#include "document/files/keys_json.h"

namespace tsukimi {

nlohmann::json to_json(const Trails& t, const Sequence& sequence) {
  return {{"kind", kTrailKinds[t.kind].name},
          {"falls_back", t.falls_back},
          {"unit", kTrailUnits[t.unit].name},
          {"every", t.every},
          {"close_gaps", t.close_gaps},
          {"keep_out", t.keep_out},
          {"ground", kTrailGrounds[t.ground].name},
          {"ground_frame", sequence.place_of(t.ground_frame)},
          {"ground_mean", t.ground_mean},
          {"lengths", rows_json(t.values, sequence)}};
}

Trails read_trails(const Fields& f, int frames) {
  f.nothing_but({"kind", "falls_back", "unit", "every", "close_gaps", "keep_out", "ground",
                 "ground_frame", "ground_mean", "lengths"});
  Trails out;
  out.kind = f.choice("kind", kTrailKinds);
  out.falls_back = f.flag("falls_back");
  out.unit = f.choice("unit", kTrailUnits);
  out.every = f.whole("every", 1, kMostEvery);
  out.close_gaps = f.flag("close_gaps");
  out.keep_out = f.flag("keep_out");
  out.ground = f.choice("ground", kTrailGrounds);
  out.ground_frame = static_cast<FrameId>(f.whole("ground_frame", 0, frames - 1));
  out.ground_mean = f.whole("ground_mean", kFewestMean, kMostMean);
  read_rows(f, "lengths", frames, out.values);
  return out;
}

}  // namespace tsukimi
