// SPDX-License-Identifier: GPL-3.0-or-later
// What is done with a variant, a function for each of its kinds: std::visit(Overloaded{...}, v)
// does not compile where one is missing.
#pragma once

namespace tsukimi {

template <typename... F>
struct Overloaded : F... {
  using F::operator()...;
};

}  // namespace tsukimi
