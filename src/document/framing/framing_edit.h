// SPDX-License-Identifier: GPL-3.0-or-later
// What is done to the crop and its glide: every change keeps them within the frame.
#pragma once

#include "document/framing/framing_course.h"

namespace tsukimi {

// "16:9", "frame" (as the frame is), or empty (free: it stays as it is). The crop becomes the
// largest of that shape; key frames of a glide keep their middles and widths as far as they fit.
void set_shape(Shoot& shoot, const std::string& aspect);

// The crop at a frame: all of it, or the glide's key frame there (made if there is none); its angle
// counts for a glide alone. height: in heights of the frame, of a crop whose shape is free; else it
// follows.
void set_crop(Shoot& shoot, int frame, CropAt crop, std::optional<double> height = {});

// The glide at a key frame, which is made as it runs there if there is none.
Values& glide_at_key(Shoot& shoot, int frame);

// One value of the glide, at a key frame (made if there is none) or moved at all of them; of
// another size the crop keeps its middle. What set_value (document/values.h) does for a glide.
void set_glide_value(Shoot& shoot, Param param, int frame, double value, bool everywhere);

// The crop stays where the glide has it at a frame.
void end_glide(Shoot& shoot, int frame);

// A slow move over the whole film, as plain values of its first and last frame, at rest at both
// ends: towards the middle of the crop by a fifth, out of there, or across it by an eighth.
enum class GlideKind { push_in, pull_out, pan_left, pan_right };
constexpr Words<GlideKind> kGlideKinds{{{GlideKind::push_in, "push-in"},
                                        {GlideKind::pull_out, "pull-out"},
                                        {GlideKind::pan_left, "pan-left"},
                                        {GlideKind::pan_right, "pan-right"}}};
void propose_glide(Shoot& shoot, GlideKind kind);

// Degrees that a line on the frame leans from the level or the upright, whichever is nearer:
// clockwise, -45..45. From and to in fractions of the frame, as it was shot.
double lean_of(const Shoot& shoot, Point from, Point to);

}  // namespace tsukimi
