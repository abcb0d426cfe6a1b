// SPDX-License-Identifier: GPL-3.0-or-later
// Reading a JSON document that a person or another program may have changed: every field is looked
// at, nothing falls back, and what is wrong is said with the field's name.
#pragma once

#include <nlohmann/json.hpp>
#include <stdexcept>
#include <string>
#include <vector>

#include "base/table.h"

namespace tsukimi {

// What is wrong with a document: "decisions.fps is 0 but must be from 1 to 240".
struct FieldError : std::runtime_error {
  using std::runtime_error::runtime_error;
};

class Fields {
 public:
  // `name` is where the value stands in the document. Throws FieldError when it is no object.
  Fields(const nlohmann::json& value, std::string name);

  bool has(const char* key) const { return value_.contains(key); }
  // All of these throw FieldError when the field is missing or is not what it should be.
  const nlohmann::json& any(const char* key) const;
  double number(const char* key, double least, double most) const;
  int whole(const char* key, long long least, long long most) const;
  bool flag(const char* key) const;
  std::string text(const char* key) const;
  // Which of these words it is.
  std::size_t choice(const char* key, const std::vector<std::string>& words) const;
  // Which value of an enumeration, by its word in a table.
  template <typename E, typename Row>
  E choice(const char* key, const Table<E, Row>& table) const {
    return static_cast<E>(choice(key, table.names()));
  }
  Fields object(const char* key) const;
  const nlohmann::json& list(const char* key) const;
  std::vector<double> numbers(const char* key, std::size_t count) const;
  // Throws when there is a field of another name.
  void nothing_but(const std::vector<std::string>& names) const;

  std::string name(const std::string& key) const;
  [[noreturn]] void wrong(const std::string& key, const std::string& what) const;

 private:
  const nlohmann::json& value_;
  std::string name_;
};

}  // namespace tsukimi
