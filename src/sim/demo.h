// SPDX-License-Identifier: GPL-3.0-or-later
// The demo: the harbour's evening as a shoot with three key frames, and a small camera card beside
// it; a night of its stars; a dawn in exposure brackets.
#pragma once

#include "base/table.h"
#include "sim/simulate.h"

namespace tsukimi::sim {

enum class Demo { harbour, night, dawn };
constexpr Words<Demo> kDemos{
    {{Demo::harbour, "harbour"}, {Demo::night, "night"}, {Demo::dawn, "dawn"}}};

// In the user's cache; empty when there is none.
std::filesystem::path demo_folder();
// Whether it is there or not.
std::filesystem::path demo_shoot(const std::filesystem::path& folder, Demo demo = Demo::harbour);
std::filesystem::path demo_card(const std::filesystem::path& folder);

// Makes what of it is not there yet, which takes about a minute, and gives the shoot's file. What
// was broken off is begun anew; nothing that is whole is written again.
Result<std::filesystem::path> make_demo(const std::filesystem::path& folder, const Work& work = {},
                                        Demo demo = Demo::harbour);

}  // namespace tsukimi::sim
