// SPDX-License-Identifier: GPL-3.0-or-later
// Tables that have a row for every value of an enumeration: one that lacks a row, or has them in
// another order, does not compile.
#pragma once

#include <array>
#include <stdexcept>
#include <string>
#include <string_view>
#include <vector>

namespace tsukimi {

namespace detail {
template <auto V>
consteval bool is_named() {
  // GCC and Clang: "... V = tsukimi::Easing::hold]", or "(tsukimi::Easing)4" of a value without a
  // name.
  const std::string_view text = __PRETTY_FUNCTION__;
  return text[text.rfind("V = ") + 4] != '(';
}
}  // namespace detail

// How many values an enumeration has; they go up from 0 without a gap.
template <typename E, int N = 0>
consteval int count_of() {
  if constexpr (detail::is_named<static_cast<E>(N)>())
    return count_of<E, N + 1>();
  else
    return N;
}

// A row begins with the value that it is of, as `id`, and has the word that files and the command
// line have for it, as `name`.
template <typename E, typename Row>
class Table {
 public:
  static constexpr std::size_t kCount = count_of<E>();
  template <std::size_t N>
  consteval Table(const Row (&rows)[N]) : rows_(std::to_array(rows)) {
    static_assert(N == kCount, "a table has a row for every value of its enumeration");
    for (std::size_t i = 0; i < N; ++i)
      if (rows_[i].id != static_cast<E>(i)) throw "the rows stand in the enumeration's order";
  }
  constexpr const Row& operator[](E value) const { return rows_[static_cast<std::size_t>(value)]; }
  constexpr auto begin() const { return rows_.begin(); }
  constexpr auto end() const { return rows_.end(); }
  std::vector<std::string> names() const {
    std::vector<std::string> out;
    for (const Row& row : rows_) out.emplace_back(row.name);
    return out;
  }
  // The value of a word that is known to be one of the table's; throws where it is not.
  E named(std::string_view name) const {
    for (const Row& row : rows_)
      if (name == row.name) return row.id;
    throw std::out_of_range(std::string(name) + " is no word of this table");
  }

 private:
  std::array<Row, kCount> rows_;
};

template <typename E>
struct Word {
  E id;
  const char* name;
};
template <typename E>
using Words = Table<E, Word<E>>;

}  // namespace tsukimi
