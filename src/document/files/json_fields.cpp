// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/json_fields.h"

#include <algorithm>
#include <cmath>
#include <cstdio>

namespace tsukimi {
using nlohmann::json;
namespace {

std::string plain(double v) {
  char text[32];
  std::snprintf(text, sizeof text, "%.6g", v);
  return text;
}

}  // namespace

Fields::Fields(const json& value, std::string name) : value_(value), name_(std::move(name)) {
  if (!value_.is_object())
    throw FieldError((name_.empty() ? std::string("the document") : name_) +
                     " must be an object, not " + value_.type_name());
}

std::string Fields::name(const std::string& key) const {
  return name_.empty() ? key : name_ + "." + key;
}

void Fields::wrong(const std::string& key, const std::string& what) const {
  throw FieldError(name(key) + " " + what);
}

const json& Fields::any(const char* key) const {
  const auto found = value_.find(key);
  if (found == value_.end()) wrong(key, "is missing");
  return *found;
}

double Fields::number(const char* key, double least, double most) const {
  const json& v = any(key);
  if (!v.is_number()) wrong(key, std::string("must be a number, not ") + v.type_name());
  const double x = v.get<double>();
  const double rounding = 1e-9 * (most - least);  // is no reason to refuse a person's work
  if (!(x >= least - rounding && x <= most + rounding))
    wrong(key, "is " + plain(x) + " but must be from " + plain(least) + " to " + plain(most));
  return std::clamp(x, least, most);
}

int Fields::whole(const char* key, long long least, long long most) const {
  const json& v = any(key);
  if (!v.is_number_integer())
    wrong(key, std::string("must be a whole number, not ") +
                   (v.is_number() ? plain(v.get<double>()) : v.type_name()));
  // Numbers beyond 2^63 are kept without a sign.
  const bool huge = v.is_number_unsigned() && v.get<std::uint64_t>() > (1ull << 62);
  const long long n = huge ? 1ll << 62 : v.get<long long>();
  if (n < least || n > most)
    wrong(key, "is " + v.dump() + " but must be from " + std::to_string(least) + " to " +
                   std::to_string(most));
  return static_cast<int>(n);
}

bool Fields::flag(const char* key) const {
  const json& v = any(key);
  if (!v.is_boolean()) wrong(key, std::string("must be true or false, not ") + v.type_name());
  return v.get<bool>();
}

std::string Fields::text(const char* key) const {
  const json& v = any(key);
  if (!v.is_string()) wrong(key, std::string("must be a text, not ") + v.type_name());
  return v.get<std::string>();
}

std::size_t Fields::choice(const char* key, const std::vector<std::string>& words) const {
  const std::string word = text(key);
  const auto found = std::find(words.begin(), words.end(), word);
  if (found == words.end()) {
    std::string all;
    for (const auto& w : words) all += (all.empty() ? "" : ", ") + ("\"" + w + "\"");
    wrong(key, "is \"" + word + "\" but must be one of " + all);
  }
  return static_cast<std::size_t>(found - words.begin());
}

Fields Fields::object(const char* key) const { return {any(key), name(key)}; }

const json& Fields::list(const char* key) const {
  const json& v = any(key);
  if (!v.is_array()) wrong(key, std::string("must be a list, not ") + v.type_name());
  return v;
}

std::vector<double> Fields::numbers(const char* key, std::size_t count) const {
  const json& v = list(key);
  const bool good = v.size() == count && std::all_of(v.begin(), v.end(), [](const json& x) {
                      return x.is_number() && std::isfinite(x.get<double>());
                    });
  if (!good) wrong(key, "must be a list of " + std::to_string(count) + " numbers");
  return v.get<std::vector<double>>();
}

void Fields::nothing_but(const std::vector<std::string>& names) const {
  for (const auto& [key, ignored] : value_.items())
    if (std::find(names.begin(), names.end(), key) == names.end()) wrong(key, "is not known");
}

}  // namespace tsukimi
