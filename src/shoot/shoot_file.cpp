#include "shoot/shoot_file.h"

#include <algorithm>
#include <map>
#include <nlohmann/json.hpp>
#include <set>

#include "frames/originals.h"
#include "image/file.h"

namespace tsukimi {
namespace fs = std::filesystem;
using nlohmann::json;
namespace {

constexpr const char* kFormat = "tsukimi shoot";

json to_json(const Look& look) {
  json out = json::object();
  for (const auto& row : parameter_table()) out[row.name] = look[row.id];
  return out;
}

json to_json(const Rect& r) { return json::array({r.x, r.y, r.w, r.h}); }

// Everything below throws json::exception or std::runtime_error; open_shoot turns it into one
// sentence.
double in_range(const json& j, const char* name, double low, double high) {
  const double v = j.at(name).get<double>();
  const double rounding = 1e-9 * (high - low);  // is no reason to refuse a person's work
  if (!(v >= low - rounding && v <= high + rounding))
    throw std::runtime_error(std::string(name) + " is out of range");
  return std::clamp(v, low, high);
}

Rect read_rect(const json& j) {
  if (!j.is_array() || j.size() != 4)
    throw std::runtime_error("an area does not have four numbers");
  const Rect r{j[0].get<double>(), j[1].get<double>(), j[2].get<double>(), j[3].get<double>()};
  if (!(r.x >= 0 && r.y >= 0 && r.w > 0 && r.h > 0 && r.x + r.w <= 1.000001 &&
        r.y + r.h <= 1.000001))
    throw std::runtime_error("an area lies outside the frame");
  return r;
}

const char* name_of(AsidePolicy p) {
  return p == AsidePolicy::fill ? "fill" : p == AsidePolicy::close_up ? "close_up" : "automatic";
}

std::vector<int> read_frames(const json& j, const char* name, int frames) {
  std::set<int> out;
  if (j.contains(name))
    for (const auto& f : j.at(name)) {
      const int frame = f.get<int>();
      if (frame < 0 || frame >= frames)
        throw std::runtime_error(std::string(name) + " names a frame that is not there");
      out.insert(frame);
    }
  return {out.begin(), out.end()};
}

json write_decisions(const Decisions& d) {
  json keys = json::array();
  for (const auto& k : d.keys) keys.push_back({{"frame", k.frame}, {"look", to_json(k.look)}});
  json flicker{
      {"on", d.deflicker.on}, {"period", d.deflicker.period}, {"limit", d.deflicker.limit}};
  if (d.deflicker.steady_area) flicker["steady_area"] = to_json(*d.deflicker.steady_area);
  return {{"order", d.order == FrameOrder::time ? "time" : "name"},
          {"set_aside", d.set_aside},
          {"looked_at", d.looked_at},
          {"aside", name_of(d.aside)},
          {"key_frames", keys},
          {"level", {{"on", d.level.on}, {"follow_light", d.level.follow_light}}},
          {"deflicker", flicker},
          {"framing", {{"aspect", d.framing.aspect}, {"crop", to_json(d.framing.crop)}}},
          {"fps", d.fps},
          {"in", d.in},
          {"out", d.out},
          {"export",
           {{"folder", d.output.folder},
            {"pattern", d.output.pattern},
            {"format", d.output.format == FileFormat::jpeg ? "jpeg" : "tiff16"},
            {"quality", d.output.quality},
            {"size", json::array({d.output.size.width, d.output.size.height})}}}};
}

Decisions read_decisions(const json& j, int frames, TemperatureTint as_shot) {
  Decisions d;
  d.order = j.value("order", "name") == "time" ? FrameOrder::time : FrameOrder::name;
  d.set_aside = read_frames(j, "set_aside", frames);
  d.looked_at = read_frames(j, "looked_at", frames);
  const std::string aside = j.value("aside", "automatic");
  d.aside = aside == "fill"       ? AsidePolicy::fill
            : aside == "close_up" ? AsidePolicy::close_up
                                  : AsidePolicy::automatic;
  std::set<int> seen;
  for (const auto& k : j.at("key_frames")) {
    KeyFrame key{static_cast<int>(in_range(k, "frame", 0, frames - 1)),
                 neutral_look(as_shot.kelvin, as_shot.tint)};
    for (const auto& row : parameter_table())
      if (k.at("look").contains(row.name))
        key.look[row.id] = in_range(k.at("look"), row.name, row.min, row.max);
    if (!seen.insert(key.frame).second)
      throw std::runtime_error("two key frames stand on one frame");
    d.keys.push_back(key);
  }
  std::sort(d.keys.begin(), d.keys.end(),
            [](const auto& a, const auto& b) { return a.frame < b.frame; });
  d.level.on = j.at("level").at("on").get<bool>();
  d.level.follow_light = in_range(j.at("level"), "follow_light", 0, 1);
  const auto& flicker = j.at("deflicker");
  d.deflicker.on = flicker.at("on").get<bool>();
  d.deflicker.period = in_range(flicker, "period", 3, 400);
  d.deflicker.limit = in_range(flicker, "limit", 0, 5);
  if (flicker.contains("steady_area"))
    d.deflicker.steady_area = read_rect(flicker.at("steady_area"));
  d.framing.aspect = j.at("framing").at("aspect").get<std::string>();
  d.framing.crop = read_rect(j.at("framing").at("crop"));
  d.fps = in_range(j, "fps", 1, 240);
  d.in = static_cast<int>(in_range(j, "in", 0, frames - 1));
  d.out = static_cast<int>(in_range(j, "out", -1, frames - 1));
  const auto& e = j.at("export");
  d.output.folder = e.at("folder").get<std::string>();
  d.output.pattern = e.at("pattern").get<std::string>();
  d.output.format =
      e.at("format").get<std::string>() == "tiff16" ? FileFormat::tiff16 : FileFormat::jpeg;
  d.output.quality = static_cast<int>(in_range(e, "quality", 1, 100));
  const auto& size = e.at("size");
  d.output.size = {size.at(0).get<int>(), size.at(1).get<int>()};
  if (d.output.size.width < 0 || d.output.size.width > 65000 || d.output.size.height < 0 ||
      d.output.size.height > 65000)
    throw std::runtime_error("the export size is out of range");
  return d;
}

// The folder's frames in the order and number that the shoot knows them.
void keep_listed(Sequence& s, const std::vector<std::string>& names) {
  std::map<std::string, FrameInfo> found;
  for (auto& f : s.frames) found.emplace(f.file, std::move(f));
  std::vector<FrameInfo> frames;
  std::size_t missing = 0;
  for (const auto& name : names) {
    auto it = found.find(name);
    if (it != found.end()) {
      frames.push_back(std::move(it->second));
      found.erase(it);
    } else {
      FrameInfo gone;
      gone.file = name;
      gone.problem = "is no longer in the folder";
      frames.push_back(gone);
      ++missing;
    }
  }
  if (missing)
    s.notes.push_back(std::to_string(missing) +
                      " of the shoot's frames are no longer in the folder.");
  if (!found.empty())
    s.notes.push_back(std::to_string(found.size()) +
                      " files in the folder are not part of this shoot.");
  s.frames = std::move(frames);
  std::vector<std::string> notes = std::move(s.notes);
  s.notes.clear();
  find_facts(s);
  find_size(s);
  s.notes.insert(s.notes.begin(), notes.begin(), notes.end());
}

}  // namespace

Result<void> save_shoot(const Shoot& shoot, const fs::path& file) {
  const fs::path base = fs::absolute(file).parent_path();
  json frames = json::array();
  for (const auto& f : shoot.sequence.frames) frames.push_back(f.file);
  Decisions decisions = shoot.decisions;
  if (!decisions.output.folder.empty())
    decisions.output.folder =
        fs::path(decisions.output.folder).lexically_proximate(base).generic_string();
  const json j{{"format", kFormat},
               {"schema", kShootSchema},
               {"whole_folder", shoot.sequence.whole_folder},
               {"pairs", shoot.sequence.pairs == Pairs::still ? "still" : "raw"},
               {"folder", shoot.sequence.folder.lexically_proximate(base).generic_string()},
               {"as_shot", {{"temperature", shoot.as_shot.kelvin}, {"tint", shoot.as_shot.tint}}},
               {"frames", frames},
               {"decisions", write_decisions(decisions)}};
  std::error_code ec;
  // A new file does not go among originals; one that an older Tsukimi put there may be saved again.
  if (!fs::exists(file, ec))
    if (auto ok = check_may_write(base, shoot.sequence.folder); !ok) return ok;
  fs::create_directories(base, ec);
  return write_document(fs::absolute(file),
                        j.dump(1, ' ', false, json::error_handler_t::replace) + "\n", kFormat);
}

Result<Shoot> open_shoot(const fs::path& file, const Work& work) {
  const auto bytes = read_file(file);
  if (!bytes) return tl::unexpected(bytes.error());
  try {
    const json j = json::parse(bytes->begin(), bytes->end());
    if (j.value("format", "") != kFormat) return fail(file.string() + " is not a Tsukimi shoot.");
    const int schema = j.at("schema").get<int>();
    if (schema > kShootSchema)
      return fail(file.string() + " was made by a newer Tsukimi (schema " + std::to_string(schema) +
                  ", this one reads up to " + std::to_string(kShootSchema) +
                  "). It was not changed.");
    const auto names = j.at("frames").get<std::vector<std::string>>();
    if (names.empty()) return fail(file.string() + " lists no frames.");
    Shoot shoot;
    shoot.as_shot = {in_range(j.at("as_shot"), "temperature", 1000, 50000),
                     in_range(j.at("as_shot"), "tint", -1000, 1000)};
    shoot.decisions =
        read_decisions(j.at("decisions"), static_cast<int>(names.size()), shoot.as_shot);
    const fs::path base = fs::absolute(file).parent_path();
    if (!shoot.decisions.output.folder.empty())
      shoot.decisions.output.folder =
          (base / shoot.decisions.output.folder).lexically_normal().string();
    const Pairs pairs = j.value("pairs", "raw") == "still" ? Pairs::still : Pairs::raw;
    const fs::path folder = (base / j.at("folder").get<std::string>()).lexically_normal();
    auto scan = read_folder(folder, {shoot.decisions.order, pairs, {}}, work);
    if (!scan) return tl::unexpected(scan.error());
    shoot.sequence = make_sequence(*scan, {});
    keep_listed(shoot.sequence, names);
    // What a camera has added since is no other sequence.
    shoot.sequence.whole_folder = j.value("whole_folder", true);
    return shoot;
  } catch (const json::exception& e) {
    return fail(file.string() + " is damaged and was not opened; it was not changed.");
  } catch (const std::runtime_error& e) {
    return fail(file.string() + " is damaged and was not opened (" + e.what() +
                "); it was not changed.");
  }
}

}  // namespace tsukimi
