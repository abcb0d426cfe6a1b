// SPDX-License-Identifier: GPL-3.0-or-later
// Light as wide-range screens take it: ITU-R BT.2100 with PQ or HLG, in Rec. 2020.
#pragma once

#include "base/table.h"
#include "develop/display.h"
#include "image/image.h"

namespace tsukimi {

// Which of them a film holds; standard: none, white is the brightest that there is.
enum class FilmLight { standard, pq, hlg };
constexpr Words<FilmLight> kFilmLights{
    {{FilmLight::standard, "standard"}, {FilmLight::pq, "pq"}, {FilmLight::hlg, "hlg"}}};

// White, light of 1, as ITU-R BT.2408 has it; the brightest that PQ holds, and the peak of the
// screen that HLG is meant for. cd/m².
constexpr float kWhiteLight = 203, kMostPq = 10000, kMostHlg = 1000;

// PQ (SMPTE ST 2084) of light of a screen, cd/m² to 0..1, and back.
float pq_signal(float light);
float pq_light(float signal);
// HLG of one channel of scene light, 0..1 (BT.2100, table 5), and back.
float hlg_signal(float scene);
float hlg_scene(float signal);

// The brightest channel of the brightest pixel, and the mean of every pixel's brightest channel
// (MaxCLL and a frame's average of CTA-861.3). cd/m².
struct LightLevels {
  float most = 0, mean = 0;
};

// Linear Rec. 2020 to signals of 0..1, row by row, from several threads. What no screen shows
// (below 0, above the most) is held at its end. HLG is made for its peak: what it takes to the
// scene and back (gamma 1.2 on luminance) gives the same light on a screen of kMostHlg.
LightLevels encode_wide_rows(const Image& rec2020, FilmLight light, const EncodedRow& row);

// What of such a picture a usual screen shows: light from three quarters of white on comes nearer
// and nearer to white, hue stays. In place.
void bring_into_range(Image& rec2020);

}  // namespace tsukimi
