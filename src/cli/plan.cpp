// plan: from a folder of frames and a few words to a shoot file.
#include <charconv>
#include <iostream>

#include "cli/commands.h"
#include "shoot/light_plan.h"
#include "shoot/shoot_file.h"

namespace tsukimi::cli {
namespace {

struct PlanOptions {
  std::string folder, out, keys = "", crop, area;
  std::vector<std::string> sets;
  bool level = false;
  double follow_light = 0, period = 0, fps = 24;
};

struct Keys {
  int automatic = 0;  // how many at most; 0: listed
  std::vector<int> listed;
};

template <typename T>
bool parse_number(std::string_view text, T& out) {
  const auto r = std::from_chars(text.data(), text.data() + text.size(), out);
  return !text.empty() && r.ec == std::errc() && r.ptr == text.data() + text.size();
}

std::vector<std::string> split(const std::string& text) {
  std::vector<std::string> out(1);
  for (char c : text)
    if (c == ',')
      out.emplace_back();
    else
      out.back() += c;
  return out;
}

Keys parse_keys(const std::string& text) {
  Keys keys;
  if (text.empty()) return keys;
  if (text == "auto") return {6, {}};
  if (text.starts_with("auto:")) {
    if (!parse_number(std::string_view(text).substr(5), keys.automatic) || keys.automatic < 1 ||
        keys.automatic > 100)
      throw CLI::ValidationError("--keys", "\"" + text + "\": auto:N needs a number from 1 to 100");
    return keys;
  }
  for (const auto& part : split(text)) {
    int frame = 0;
    if (!parse_number(part, frame) || frame < 0)
      throw CLI::ValidationError(
          "--keys",
          "\"" + text + "\" is not a list of frames such as 0,60,179, nor auto, nor auto:N");
    keys.listed.push_back(frame);
  }
  std::sort(keys.listed.begin(), keys.listed.end());
  return keys;
}

struct Set {
  Param param;
  double value;
  int frame;  // -1: everywhere
};

Set parse_set(const std::string& text) {
  const auto equals = text.find('='), at = text.find('@');
  if (equals == std::string::npos)
    throw CLI::ValidationError("--set", "\"" + text + "\" is not name=value or name=value@frame");
  const auto param = find_parameter(text.substr(0, equals));
  if (!param) {
    std::string names;
    for (const auto& row : parameter_table())
      names += std::string(names.empty() ? "" : ", ") + row.name;
    throw CLI::ValidationError("--set", "there is no adjustment \"" + text.substr(0, equals) +
                                            "\" (there are " + names + ")");
  }
  Set set{*param, 0, -1};
  const std::string value =
      text.substr(equals + 1, at == std::string::npos ? std::string::npos : at - equals - 1);
  if (!parse_number(std::string_view(value), set.value) ||
      (at != std::string::npos &&
       (!parse_number(std::string_view(text).substr(at + 1), set.frame) || set.frame < 0)))
    throw CLI::ValidationError("--set", "\"" + text + "\" is not name=value or name=value@frame");
  const auto& row = info(*param);
  if (!(set.value >= row.min && set.value <= row.max)) {
    char range[64];
    std::snprintf(range, sizeof range, " goes from %g to %g", row.min, row.max);
    throw CLI::ValidationError("--set", row.name + std::string(range));
  }
  return set;
}

Rect parse_area(const std::string& text) {
  const auto parts = split(text);
  double v[4];
  bool good = parts.size() == 4;
  for (int i = 0; good && i < 4; ++i) good = parse_number(std::string_view(parts[i]), v[i]);
  if (!good || !(v[0] >= 0 && v[1] >= 0 && v[2] > 0 && v[3] > 0 && v[0] + v[2] <= 1.0001 &&
                 v[1] + v[3] <= 1.0001))
    throw CLI::ValidationError("--steady-area",
                               "\"" + text + "\" is not x,y,w,h in fractions of the frame");
  return {v[0], v[1], std::min(v[2], 1 - v[0]), std::min(v[3], 1 - v[1])};
}

Result<void> check_frame(int frame, const Shoot& shoot, const char* what) {
  if (frame < shoot.frame_count()) return {};
  return fail("Frame " + std::to_string(frame) + " of " + what +
              " is not in the sequence, which has frames 0 to " +
              std::to_string(shoot.frame_count() - 1) + ".");
}

// Values for all frames stand on the first frame when there is no key frame.
void set_everywhere(Shoot& shoot, Param p, double value) {
  if (shoot.decisions.keys.empty()) add_key(shoot, 0);
  for (auto& k : shoot.decisions.keys) k.look[p] = value;
}

Result<void> make_plan(const PlanOptions& o, const Keys& keys, const std::vector<Set>& sets,
                       std::optional<double> aspect, std::optional<Rect> area) {
  auto sequence = scan_folder(o.folder, {terminal_progress("reading"), nullptr});
  if (!sequence) return tl::unexpected(sequence.error());
  auto shoot = start_shoot(std::move(*sequence));
  if (!shoot) return tl::unexpected(shoot.error());
  auto& d = shoot->decisions;
  d.fps = o.fps;
  d.level = {o.level, o.follow_light};
  d.deflicker.on = o.period > 0;
  if (o.period > 0) d.deflicker.period = o.period;
  d.deflicker.steady_area = area;
  if (aspect) d.framing = {o.crop, crop_to_aspect(shoot->sequence.size, *aspect)};
  std::vector<int> frames = keys.listed;
  if (keys.automatic > 0) {
    ProxyStore store(shoot->sequence.folder);
    const auto grids = measure_light(*shoot, store, {terminal_progress("measuring"), nullptr});
    frames = propose_keys(*shoot, plan_light(*shoot, grids), keys.automatic);
  }
  for (int frame : frames) {
    if (auto ok = check_frame(frame, *shoot, "--keys"); !ok) return ok;
    add_key(*shoot, frame);
  }
  for (const auto& s : sets) {  // values for all first, so that values for one frame stand
    if (s.frame < 0) set_everywhere(*shoot, s.param, s.value);
  }
  for (const auto& s : sets) {
    if (s.frame < 0) continue;
    if (auto ok = check_frame(s.frame, *shoot, "--set"); !ok) return ok;
    set_value(*shoot, s.param, s.frame, s.value);
  }
  for (const auto& f : shoot->sequence.frames)
    if (!f.usable())
      std::cerr << "tsukimi-batch: " << f.file << " " << f.problem << "; it is left out.\n";
  return save_shoot(*shoot, o.out);
}

}  // namespace

void add_plan(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "plan", "Make a shoot file: key frames, values, levelling, deflicker, crop.");
  auto o = std::make_shared<PlanOptions>();
  c->add_option("DIR", o->folder, "Folder of frames")->required();
  c->add_option("--out", o->out, "The shoot file to write (.tsukimi)")->required();
  c->add_option("--keys", o->keys, "Key frames: 0,60,179, or auto, or auto:N");
  c->add_option("--set", o->sets, "name=value for all key frames, name=value@frame for one")
      ->expected(1)
      ->take_all();
  c->add_flag("--level", o->level, "Level the camera's exposure steps");
  c->add_option("--follow-light", o->follow_light,
                "0 keeps the held brightness, 1 shows the light as it fell")
      ->check(CLI::Range(0.0, 1.0));
  c->add_option("--deflicker", o->period, "Remove flicker; shortest change that is kept, in frames")
      ->check(CLI::Range(3.0, 400.0));
  c->add_option("--steady-area", o->area, "x,y,w,h in fractions of the frame: measured there only");
  c->add_option("--crop", o->crop, "Crop to a shape, as in 16:9");
  c->add_option("--fps", o->fps, "Frame rate of the film")->check(CLI::Range(1.0, 240.0));
  c->callback([o, &run] {
    const Keys keys = parse_keys(o->keys);
    std::vector<Set> sets;
    for (const auto& s : o->sets) sets.push_back(parse_set(s));
    const auto aspect = parse_aspect(o->crop);
    if (!o->crop.empty() && !aspect)
      throw CLI::ValidationError("--crop", "\"" + o->crop + "\" is not a shape such as 16:9");
    std::optional<Rect> area;
    if (!o->area.empty()) area = parse_area(o->area);
    run = [=] { return make_plan(*o, keys, sets, aspect, area); };
  });
}

}  // namespace tsukimi::cli
