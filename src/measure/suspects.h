// SPDX-License-Identifier: GPL-3.0-or-later
// Frames that are probably ruined or changed, found by comparing each with its neighbours.
//
// Every sign is judged against the frames before and against the frames after; it counts only as
// far as both agree, so that what comes to stay (a window lights up, dusk, a new exposure) and what
// moves on (a cloud, the ferry) is no suspect. Light is compared after the camera's own exposure
// change is taken out. Nothing is corrected here: the photographer decides.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "base/table.h"
#include "camera/frame_info.h"
#include "motion/registration.h"
#include "proxy/proxy.h"

namespace tsukimi {

// lightning and lamp are events: something shines on a part of the picture while the rest is as
// before. They are real, and proposed to be kept.
enum class SuspectKind {
  unreadable,
  setting,
  bright,
  dark,
  covered,
  blurred,
  bumped,
  lightning,
  lamp
};
constexpr Words<SuspectKind> kSuspectKinds{{{SuspectKind::unreadable, "unreadable"},
                                            {SuspectKind::setting, "setting"},
                                            {SuspectKind::bright, "bright"},
                                            {SuspectKind::dark, "dark"},
                                            {SuspectKind::covered, "covered"},
                                            {SuspectKind::blurred, "blurred"},
                                            {SuspectKind::bumped, "bumped"},
                                            {SuspectKind::lightning, "lightning"},
                                            {SuspectKind::lamp, "lamp passes"}}};
constexpr bool is_event(SuspectKind kind) {
  return kind == SuspectKind::lightning || kind == SuspectKind::lamp;
}

struct Suspect {
  int frame = 0;
  SuspectKind kind = SuspectKind::unreadable;
  std::string reason;   // in words: "bright for one frame: 2.1 stops in 34 % of the picture"
  double strength = 0;  // 0..1; 1/3 at the limit of what is called a suspect
  bool operator==(const Suspect&) const = default;
};

// What is known of one frame's picture; without it only its metadata is judged.
struct FrameSigns {
  DetailGrid detail;
  Shift shift;  // against the readable frame before, in fractions of the frame's width
};

// `signs` and `grids` have one entry per frame. At most one suspect per frame, the strongest.
std::vector<Suspect> find_suspects(const std::vector<FrameInfo>& frames,
                                   const std::vector<std::optional<LightGrid>>& grids,
                                   const std::vector<std::optional<FrameSigns>>& signs);

}  // namespace tsukimi
