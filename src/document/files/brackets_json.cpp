// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/brackets_json.h"

#include <cmath>

#include "base/text.h"

namespace tsukimi {
using nlohmann::json;

json to_json(const Bracketing& b) {
  json moved = json::array();
  for (const MovedShot& m : b.moved)
    moved.push_back({{"file", to_json_name(m.file)}, {"to", m.by < 0 ? "before" : "after"}});
  json offsets = json::array();
  for (const ShotOffset& o : b.offsets)
    offsets.push_back({{"file", to_json_name(o.file)}, {"by", {o.dx, o.dy}}});
  return {{"set_size", b.set_size}, {"pause", b.pause},     {"shot", b.exposure},
          {"moved", moved},         {"aligned", b.aligned}, {"offsets", offsets}};
}

Bracketing read_brackets(const Fields& f) {
  f.nothing_but({"set_size", "pause", "shot", "moved", "aligned", "offsets"});
  Bracketing out;
  out.set_size = f.whole("set_size", 1, kMostShots);
  out.pause = f.number("pause", 0, 86400);
  out.exposure = f.whole("shot", 0, out.set_size > 1 ? out.set_size : 0);
  for (const auto& v : f.list("moved")) {
    const Fields m(v, f.name("moved[" + std::to_string(out.moved.size()) + "]"));
    m.nothing_but({"file", "to"});
    out.moved.push_back(
        {from_json_name(m.text("file")), m.choice("to", {"before", "after"}) == 0 ? -1 : 1});
  }
  if (f.has("aligned")) out.aligned = f.flag("aligned");
  if (f.has("offsets"))
    for (const auto& v : f.list("offsets")) {
      const Fields o(v, f.name("offsets[" + std::to_string(out.offsets.size()) + "]"));
      o.nothing_but({"file", "by"});
      const auto by = o.numbers("by", 2);
      constexpr double kMost = 1e4;
      if (!(std::fabs(by[0]) <= kMost && std::fabs(by[1]) <= kMost))
        o.wrong("by", "is farther than a picture is wide");
      out.offsets.push_back({from_json_name(o.text("file")), by[0], by[1]});
    }
  return out;
}

}  // namespace tsukimi
