// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/light_options.h"

namespace tsukimi::cli {

void LightOptions::add_to(CLI::App& c) {
  const auto choices = kUnevens.names();
  c.add_flag("--level,--steps", level_.on, "Level the camera's exposure steps");
  c.add_option("--follow-light", level_.follow_light,
               "0 keeps the held brightness, 1 shows the light as it fell")
      ->check(CLI::Range(0.0, 1.0));
  c.add_flag("!--no-metadata-steps", level_.find_steps,
             "Where no metadata tell the exposure, look for no steps in the pictures");
  c.add_option("--deflicker,--keep-slower-than", period_,
               "Remove flicker; changes slower than this are kept, in frames")
      ->check(CLI::Range(3.0, 400.0));
  c.add_option("--limit", deflicker_.limit,
               "Largest correction of a frame in which less than three quarters of the picture "
               "agree, in stops")
      ->check(CLI::Range(0.0, 5.0));
  c.add_option("--uneven", uneven_,
               "Bands and parts of the picture that flicker apart: auto, on (also faint ones), off")
      ->check(CLI::IsMember(choices));
  c.add_option("--colour-flicker", colour_, "Colours that flicker apart: auto, on, off")
      ->check(CLI::IsMember(choices));
  c.add_option("--steady-area", area_, "x,y,w,h in fractions of the frame: measured there only");
}

void LightOptions::parse() {
  deflicker_.on = period_ > 0;
  if (deflicker_.on) deflicker_.period = period_;
  if (!area_.empty()) deflicker_.steady_area = parse_area(area_);
  deflicker_.uneven = kUnevens.named(uneven_);
  deflicker_.colour = kUnevens.named(colour_);
}

void LightOptions::apply(Decisions& decisions) const {
  decisions.level = level_;
  decisions.deflicker = deflicker_;
}

}  // namespace tsukimi::cli
