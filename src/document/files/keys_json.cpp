// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/keys_json.h"

#include <set>

#include "base/file.h"
#include "base/text.h"

namespace tsukimi {

Easing read_easing(const Fields& key) {
  return key.has("easing") ? key.choice("easing", kEasings) : Easing::smooth;
}

Values read_values(const Fields& f, Values values) {
  std::vector<std::string> names;
  for (const auto& row : values.kind.rows()) {
    names.push_back(row.name);
    if (f.has(row.name)) values[row.id] = f.number(row.name, row.min, row.max);
  }
  f.nothing_but(names);
  return values;
}

void each_key(const Fields& f, const char* list, int frames,
              const std::function<void(const Fields&, FrameId)>& take) {
  std::set<int> seen;
  for (const auto& value : f.list(list)) {
    const Fields k(value, f.name(list + ("[" + std::to_string(seen.size()) + "]")));
    const int frame = k.whole("frame", 0, frames - 1);
    if (!seen.insert(frame).second) k.wrong("frame", "is named twice");
    take(k, static_cast<FrameId>(frame));
  }
}

nlohmann::json rows_json(const KeyedValues& keyed, const Sequence& sequence) {
  auto out = nlohmann::json::array();
  for (const KeyFrame& key : keyed.keys) {
    auto& one = out.emplace_back(nlohmann::json{{"frame", sequence.place_of(key.frame)}});
    if (key.easing != Easing::smooth) one["easing"] = kEasings[key.easing].name;
    for (const auto& row : keyed.kind.rows()) one[row.name] = key.values[row.id];
  }
  return out;
}

void read_rows(const Fields& f, const char* list, int frames, KeyedValues& into) {
  each_key(f, list, frames, [&](const Fields& k, FrameId frame) {
    std::vector<std::string> names{"frame", "easing"};
    Values values = presets(into.kind);
    for (const auto& row : into.kind.rows()) {
      names.push_back(row.name);
      values[row.id] = k.number(row.name, row.min, row.max);
    }
    k.nothing_but(names);
    into.at(frame, values).easing = read_easing(k);
  });
}

Result<void> read_json_file(const std::filesystem::path& file,
                            const std::function<void(const Fields&)>& read) {
  constexpr std::uintmax_t kMost = 256u << 20;
  const auto bytes = read_file(file, kMost);
  if (!bytes) return tl::unexpected(bytes.error());
  const std::string name = printable(file.string());
  const auto j = nlohmann::json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (j.is_discarded()) return fail(name + " is no JSON.");
  try {
    read(Fields(j, ""));
  } catch (const FieldError& e) {
    return fail(name + " cannot be used: " + printable(e.what()) + ".");
  }
  return {};
}

}  // namespace tsukimi
