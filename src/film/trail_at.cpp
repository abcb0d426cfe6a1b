// SPDX-License-Identifier: GPL-3.0-or-later
#include "film/trail_at.h"

#include <cstdio>

namespace tsukimi {

void add_text(std::string& out, const TrailAt& t) {
  auto numbers = [&](const char* what, std::initializer_list<double> values) {
    out += what;
    for (double v : values) {
      char text[40];
      std::snprintf(text, sizeof text, " %.9g", v);
      out += text;
    }
    out += ' ';
  };
  numbers("trail", {t.keeps, t.adds ? 1.0 : 0.0});
  if (t.step && (t.close_gaps || t.keep_out)) {
    const auto& [lens, pole, angle] = *t.step;
    numbers("sky", {lens.focal, lens.bend, lens.aspect, pole[0], pole[1], pole[2], angle});
  }
  if (t.close_gaps) out += "closed ";
  if (t.keep_out) out += "kept out ";
  if (t.ground != TrailGround::each)
    numbers(kTrailGrounds[t.ground].name, {static_cast<double>(t.ground_mean)});
  if (t.sky) add_text(out, *t.sky);
  if (!t.all_before.empty()) out += "after " + t.all_before + " ";
}

}  // namespace tsukimi
