// SPDX-License-Identifier: GPL-3.0-or-later
// What changed between two sets of decisions: of each field both values, of lists just the part
// that differs. Undo keeps these.
#pragma once

#include "document/shoot/shoot.h"

namespace tsukimi {

template <typename T>
class FieldChange {
 public:
  FieldChange(const T& before, const T& after) {
    if (!(before == after)) values_ = std::pair(before, after);
  }
  bool empty() const { return !values_; }
  void apply(T& to, bool after) const {
    if (values_) to = after ? values_->second : values_->first;
  }

 private:
  std::optional<std::pair<T, T>> values_;
};

template <typename T>
class FieldChange<std::vector<T>> {
 public:
  FieldChange(const std::vector<T>& before, const std::vector<T>& after) {
    const auto first = std::ranges::mismatch(before, after);
    at_ = first.in1 - before.begin();
    auto b = before.end(), a = after.end();
    while (b != first.in1 && a != first.in2 && *(b - 1) == *(a - 1)) --b, --a;
    before_.assign(first.in1, b);
    after_.assign(first.in2, a);
  }
  bool empty() const { return before_.empty() && after_.empty(); }
  std::size_t size() const { return before_.size() + after_.size(); }  // items that are kept
  void apply(std::vector<T>& to, bool after) const {
    const auto &old = after ? before_ : after_, &now = after ? after_ : before_;
    const auto at = to.erase(to.begin() + at_, to.begin() + at_ + std::ssize(old));
    to.insert(at, now.begin(), now.end());
  }

 private:
  std::ptrdiff_t at_ = 0;
  std::vector<T> before_, after_;
};

template <>
class FieldChange<KeyedValues> {
 public:
  FieldChange(const KeyedValues& before, const KeyedValues& after)
      : keys_(before.keys, after.keys) {}
  bool empty() const { return keys_.empty(); }
  std::size_t size() const { return keys_.size(); }
  void apply(KeyedValues& to, bool after) const { keys_.apply(to.keys, after); }

 private:
  FieldChange<std::vector<KeyFrame>> keys_;
};

// All fields of the decisions: one that is forgotten here does not compile.
template <typename D>
auto fields(D& decisions) {
  auto& [order, brackets, set_aside, looked_at, aside, look, places, repairs, level, deflicker,
         framing, fps, pace, trails, in, out, output, makes_frames, films] = decisions;
  return std::tie(order, brackets, set_aside, looked_at, aside, look, places, repairs, level,
                  deflicker, framing, fps, pace, trails, in, out, output, makes_frames, films);
}

// One change for each field.
template <typename... T>
auto changes_between(const std::tuple<const T&...>& before, const std::tuple<const T&...>& after) {
  return [&]<std::size_t... I>(std::index_sequence<I...>) {
    return std::tuple<FieldChange<T>...>(
        FieldChange<T>(std::get<I>(before), std::get<I>(after))...);
  }
  (std::index_sequence_for<T...>());
}

class Difference {
 public:
  Difference(const Decisions& before, const Decisions& after)
      : changes_(changes_between(fields(before), fields(after))) {}
  bool empty() const {
    return std::apply([](const auto&... c) { return (c.empty() && ...); }, changes_);
  }
  void undo(Decisions& to) const { apply(to, false); }  // from after to before
  void redo(Decisions& to) const { apply(to, true); }

 private:
  using Changes = decltype(changes_between(fields(std::declval<const Decisions&>()),
                                           fields(std::declval<const Decisions&>())));
  void apply(Decisions& to, bool after) const {
    auto all = fields(to);
    [&]<std::size_t... I>(std::index_sequence<I...>) {
      (std::get<I>(changes_).apply(std::get<I>(all), after), ...);
    }
    (std::make_index_sequence<std::tuple_size_v<Changes>>());
  }

  Changes changes_;
};

}  // namespace tsukimi
