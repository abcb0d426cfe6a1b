// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/files/shoot_file.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "base/cache.h"
#include "base/file.h"
#include "base/text.h"
#include "document/files/brackets_json.h"
#include "document/files/exports_json.h"
#include "document/files/framing_json.h"
#include "document/files/json_fields.h"
#include "document/files/keys_json.h"
#include "document/files/light_json.h"
#include "document/files/pace_json.h"
#include "document/files/places_json.h"
#include "document/files/repairs_json.h"
#include "document/files/trails_json.h"
#include "folder/originals.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kFormat = "tsukimi shoot";

json to_json(const Values& values) {
  json out = json::object();
  for (const auto& row : values.kind.rows()) out[row.name] = values[row.id];
  return out;
}

// Everything below throws FieldError; open_shoot turns it into one sentence.

// Frames are their places in the file's list, and so are their ids from now on.
std::vector<FrameId> read_frames(const Fields& f, const char* key, int frames) {
  std::set<FrameId> out;
  if (f.has(key))
    for (const auto& v : f.list(key)) {
      if (!v.is_number_integer() || v.get<std::int64_t>() < 0 || v.get<std::int64_t>() >= frames)
        f.wrong(key, "names a frame that is not there");
      out.insert(static_cast<FrameId>(v.get<int>()));
    }
  return {out.begin(), out.end()};
}

// The place of a frame that is named by its id.
json to_json(const KeyedValues& keyed, const Sequence& s) {
  json out = json::array();
  for (const auto& k : keyed.keys) {
    out.push_back({{"frame", s.place_of(k.frame)}, {keyed.kind.name, to_json(k.values)}});
    if (k.easing != Easing::smooth) out.back()["easing"] = kEasings[k.easing].name;
  }
  return out;
}

json places(const std::vector<FrameId>& ids, const Sequence& s) {
  std::vector<int> out;
  for (FrameId id : ids) out.push_back(s.place_of(id));
  std::ranges::sort(out);
  return out;
}

json write_decisions(const Decisions& d, const Sequence& s) {
  json films = json::array();
  for (const FilmSettings& film : d.films) films.push_back(to_json(film));
  json local = json::array(), repairs = json::array();
  for (const LocalPlace& place : d.places) local.push_back(to_json(place, s));
  for (const Repair& repair : d.repairs) repairs.push_back(to_json(repair, s));
  return {{"order", kFrameOrders[d.order].name},
          {"brackets", to_json(d.brackets)},
          {"set_aside", places(d.set_aside, s)},
          {"looked_at", places(d.looked_at, s)},
          {"aside", kAsidePolicies[d.aside].name},
          {"key_frames", to_json(d.look, s)},
          {"places", local},
          {"repairs", repairs},
          {"level", to_json(d.level, s)},
          {"deflicker", to_json(d.deflicker, s)},
          {"framing", to_json(d.framing, s)},
          {"fps", d.fps},
          {"pace", to_json(d.pace, s)},
          {"trails", to_json(d.trails, s)},
          {"in", d.in},
          {"out", d.out},
          {"export", to_json(d.output)},
          {"makes_frames", d.makes_frames},
          {"films", films}};
}

// Places in the file are relative to it; with `base` they become absolute again.
template <typename Move>
void move_places(Decisions& d, const Move& move) {
  auto moved = [&](std::string& place) {
    if (!place.empty()) place = move(fs::path(place));
  };
  moved(d.output.folder);
  for (FilmSettings& film : d.films) moved(film.file), moved(film.sound);
}

// What a key frame does not say is as in `otherwise`.
KeyedValues read_keyed(const Fields& f, const char* key, int frames, const Values& otherwise) {
  KeyedValues out{otherwise.kind, {}};
  each_key(f, key, frames, [&](const Fields& k, FrameId frame) {
    auto& made = out.at(frame, read_values(k.object(out.kind.name), otherwise));
    made.easing = read_easing(k);
  });
  return out;
}

Decisions read_decisions(const Fields& f, int frames, TemperatureTint as_shot) {
  Decisions d;
  // What the first files did not have yet.
  if (f.has("order")) d.order = f.choice("order", kFrameOrders);
  if (f.has("brackets")) d.brackets = read_brackets(f.object("brackets"));
  if (f.has("aside")) d.aside = f.choice("aside", kAsidePolicies);
  d.set_aside = read_frames(f, "set_aside", frames);
  d.looked_at = read_frames(f, "looked_at", frames);
  d.look = read_keyed(f, "key_frames", frames, neutral_look(as_shot.kelvin, as_shot.tint));
  if (f.has("places")) d.places = read_places(f, frames);
  if (f.has("repairs")) d.repairs = read_repairs(f, frames);
  if (std::ranges::any_of(d.repairs, is_incomplete))
    f.wrong("repairs", "do not say from where they are taken");
  d.level = read_level(f.object("level"), frames);
  d.deflicker = read_deflicker(f.object("deflicker"), frames);
  d.framing = read_framing(f.object("framing"), frames);
  d.fps = f.number("fps", 1, 240);
  if (f.has("pace")) d.pace = read_pace(f.object("pace"), frames);
  if (f.has("trails")) d.trails = read_trails(f.object("trails"), frames);
  d.in = f.whole("in", 0, frames - 1);
  d.out = f.whole("out", -1, frames - 1);
  if (d.out >= 0 && d.out < d.in) f.wrong("out", "is before the film's first frame");
  d.output = read_export_settings(f.object("export"));
  if (f.has("makes_frames")) d.makes_frames = f.flag("makes_frames");
  if (f.has("films"))
    for (const auto& film : f.list("films"))
      d.films.push_back(read_film_settings(
          Fields(film, f.name("films[" + std::to_string(d.films.size()) + "]"))));
  return d;
}

// What folder, and which of its frames: each the names of its shots, its own first.
struct FrameList {
  std::vector<std::vector<std::string>> names;
  std::string folder;
  Pairs pairs = Pairs::raw;
  bool whole_folder = true;
};

FrameList read_list(const Fields& f, int schema) {
  FrameList out;
  std::set<std::string> seen;
  // Names are bytes; files before schema 3 had them as they were.
  const auto name_of = [&](const std::string& s) { return schema >= 3 ? from_json_name(s) : s; };
  const auto shot = [&](const json& v) {
    if (!v.is_string()) f.wrong("frames", "must be a list of names, or of the names of a moment");
    std::string name = name_of(v.get<std::string>());
    if (name.empty() || name.find('/') != std::string::npos || name.find('\0') != std::string::npos)
      f.wrong("frames", "has a name that no file can have");
    if (!seen.insert(name).second) f.wrong("frames", "has a name twice");
    return name;
  };
  for (const auto& v : f.list("frames")) {
    auto& frame = out.names.emplace_back();
    if (v.is_array() && !v.empty())
      for (const auto& one : v) frame.push_back(shot(one));
    else
      frame.push_back(shot(v));
  }
  if (out.names.empty()) f.wrong("frames", "lists no frames");
  out.folder = name_of(f.text("folder"));
  if (f.has("pairs")) out.pairs = f.choice("pairs", kPairs);
  if (f.has("whole_folder")) out.whole_folder = f.flag("whole_folder");
  return out;
}

json list_of(const Sequence& s) {
  json out = json::array();
  for (const auto& f : s.frames) {
    json shots = json::array({to_json_name(f.file)});
    for (const auto& other : f.others) shots.push_back(to_json_name(other.file));
    out.push_back(f.others.empty() ? shots[0] : shots);
  }
  return out;
}

// The folder's frames in the order and number that the shoot knows them.
void keep_listed(Sequence& s, const std::vector<std::vector<std::string>>& names,
                 const Bracketing& brackets) {
  std::map<std::string, FrameInfo> found;
  for (auto& f : s.frames) found.emplace(f.file, std::move(f));
  std::vector<FrameInfo> frames;
  std::size_t missing = 0;
  const auto take = [&](const std::string& name) {
    FrameInfo out;
    if (const auto it = found.find(name); it != found.end()) {
      out = std::move(it->second);
      found.erase(it);
      return out;
    }
    out.file = name;
    out.problem = "is no longer in the folder";
    out.away = true;
    ++missing;
    return out;
  };
  for (const auto& shots : names) {
    FrameInfo& frame = frames.emplace_back(take(shots.front()));
    frame.id = static_cast<FrameId>(frames.size() - 1);
    frame.merged = brackets.exposure == 0;
    for (std::size_t k = 1; k < shots.size(); ++k) {
      FrameInfo other = take(shots[k]);
      if (!other.usable() && frame.usable() && frame.merged) {
        frame.problem = "is merged with " + other.file + ", which " + other.problem;
        frame.away = other.away;
      }
      other.id = FrameId::none;
      frame.others.push_back(std::move(other));
    }
  }
  if (missing)
    s.notes.push_back(std::to_string(missing) +
                      " of the shoot's frames are no longer in the folder.");
  if (!found.empty())
    s.notes.push_back(std::to_string(found.size()) +
                      " files in the folder are not part of this shoot.");
  settle_moments(frames, brackets);
  s.frames = std::move(frames);
  s.brackets = brackets;
  std::vector<std::string> notes = std::move(s.notes);
  s.notes.clear();
  find_facts(s);
  find_size(s);
  s.notes.insert(s.notes.begin(), notes.begin(), notes.end());
}

}  // namespace

static std::string sum_of(std::span<const std::uint8_t> bytes) {
  return std::to_string(checksum(bytes));
}

// The folder that a file's paths are relative to: where it really is. Else ".." would be another
// folder for the system than it is in the text.
static fs::path base_of(const fs::path& file) {
  std::error_code ec;
  const fs::path base = plain_path(link_target(file)).parent_path(), real = fs::canonical(base, ec);
  return ec ? base : real;
}

static Result<void> check_replaces(const Shoot& shoot, const fs::path& path, Replace replace) {
  std::error_code ec;
  if (!fs::exists(path, ec)) return check_may_write(path.parent_path(), shoot.sequence.folder);
  if (auto ok = check_no_picture(path); !ok) return ok;
  if (auto ok = check_document(path, kFormat); !ok || replace == Replace::any) return ok;
  const auto there = read_file(path);
  if (!there) return tl::unexpected(there.error());
  if (there->empty() || sum_of(*there) == shoot.file_sum) return {};
  return fail(printable(path.string()) +
                  (shoot.file_sum.empty() ? " is there already; it was not touched."
                                          : " was changed elsewhere since it was read; it was not "
                                            "touched."),
              ErrorCode::exists);
}

Result<std::string> save_shoot(const Shoot& shoot, const fs::path& file, Replace replace) {
  std::error_code ec;
  const fs::path path = plain_path(link_target(file)), base = base_of(file);
  if (!is_folder(base))
    return fail(printable(path.string()) + " was not saved: the folder " +
                    printable(base.string()) + " does not exist. Make it first, or choose another.",
                ErrorCode::no_folder);
  Decisions decisions = shoot.decisions;
  move_places(decisions, [&](const fs::path& p) {
    return plain_path(p).lexically_proximate(base).generic_string();
  });
  const json j{
      {"format", kFormat},
      {"schema", kShootSchema},
      {"whole_folder", shoot.sequence.whole_folder},
      {"pairs", kPairs[shoot.sequence.pairs].name},
      {"folder",
       to_json_name(plain_path(shoot.sequence.folder).lexically_proximate(base).generic_string())},
      {"as_shot", {{"temperature", shoot.as_shot.kelvin}, {"tint", shoot.as_shot.tint}}},
      {"frames", list_of(shoot.sequence)},
      {"decisions", write_decisions(decisions, shoot.sequence)}};
  // A new file does not go among originals; one that an older Tsukimi put there may be saved again.
  if (auto ok = check_replaces(shoot, path, replace); !ok) return tl::unexpected(ok.error());
  const std::string text = j.dump(1, ' ', false, json::error_handler_t::replace) + "\n";
  if (auto ok = write_document(path, text, kFormat); !ok) return tl::unexpected(ok.error());
  return sum_of({reinterpret_cast<const std::uint8_t*>(text.data()), text.size()});
}

Result<Shoot> open_shoot(const fs::path& file, const Work& work) {
  constexpr std::uintmax_t kMost = 512u << 20;  // a hundred thousand frames and key frames
  const auto bytes = read_file(file, kMost);
  if (!bytes) return tl::unexpected(bytes.error());
  const std::string name = printable(file.string());
  const json j = json::parse(bytes->begin(), bytes->end(), nullptr, false);
  if (j.is_discarded()) return fail(name + " is damaged and was not opened; it was not changed.");
  if (!j.is_object() || !j.contains("format") || j["format"] != kFormat)
    return fail(name + " is not a Tsukimi shoot.");
  try {
    const Fields f(j, "");
    const int schema = f.whole("schema", 1, std::numeric_limits<int>::max());
    if (schema > kShootSchema)
      return fail(name + " was made by a newer Tsukimi (schema " + std::to_string(schema) +
                  ", this one reads up to " + std::to_string(kShootSchema) +
                  "). It was not changed.");
    const FrameList list = read_list(f, schema);
    Shoot shoot;
    const Fields as_shot = f.object("as_shot");
    shoot.as_shot = {as_shot.number("temperature", 1000, 50000),
                     as_shot.number("tint", -1000, 1000)};
    shoot.decisions =
        read_decisions(f.object("decisions"), static_cast<int>(list.names.size()), shoot.as_shot);
    const fs::path base = base_of(file);
    move_places(shoot.decisions, [&](const fs::path& p) { return plain_path(base / p).string(); });
    auto scan =
        read_folder(plain_path(base / list.folder), {shoot.decisions.order, list.pairs, {}}, work);
    if (!scan) return tl::unexpected(scan.error());
    shoot.sequence = make_sequence(*scan, {}, Bracketing());
    keep_listed(shoot.sequence, list.names, shoot.decisions.brackets);
    // What a camera has added since is no other sequence.
    shoot.sequence.whole_folder = list.whole_folder;
    shoot.file_sum = sum_of(*bytes);
    return shoot;
  } catch (const FieldError& e) {
    return fail(name + " is damaged and was not opened (" + printable(e.what()) +
                "); it was not changed.");
  }
}

}  // namespace tsukimi
