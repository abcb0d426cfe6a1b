// SPDX-License-Identifier: GPL-3.0-or-later
// What operations work on: one row of the picture, three channels side by side in memory that stays
// in the cache while one operation after the other goes over it.
//
// Row functions are compiled for several instruction sets through Highway (foreach_target) and
// chosen when the program runs. They are plain loops that the compiler vectorises; contraction is
// off (CMakeLists.txt) and only exactly defined operations are used, so every instruction set gives
// the same bits.
#pragma once

#include <tuple>

#include "image/colour.h"

namespace tsukimi {

struct Rows {
  float *r, *g, *b;  // or L, a, b of Oklab: each operation says which
  int width;
};

// Operations that go over a row one after the other, in this order. Each is made from a recipe and
// says whether it changes anything; apply() does one row, and is told which where it asks for it.
template <typename... Operation>
class Chain {
 public:
  explicit Chain(Operation... operations) : operations_(std::move(operations)...) {}
  bool changes() const {
    return std::apply([](const auto&... o) { return (o.changes() || ...); }, operations_);
  }
  void apply(const Rows& rows, int y) const {
    auto one = [&](const auto& o) {
      if (!o.changes()) return;
      if constexpr (requires { o.apply(rows, y); })
        o.apply(rows, y);
      else
        o.apply(rows);
    };
    std::apply([&](const auto&... o) { (one(o), ...); }, operations_);
  }

 private:
  std::tuple<Operation...> operations_;
};

struct Mat3f {
  float m[9];
  explicit Mat3f(const Mat3& a) {
    for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(a.m[i]);
  }
};

}  // namespace tsukimi
