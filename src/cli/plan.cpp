// SPDX-License-Identifier: GPL-3.0-or-later
// plan: from a folder of frames and a few words to a shoot file.
#include <iostream>

#include "cli/bracket_options.h"
#include "cli/commands.h"
#include "cli/framing_options.h"
#include "cli/light_options.h"
#include "cli/pace_options.h"
#include "cli/parse.h"
#include "cli/trail_options.h"
#include "document/files/places_json.h"
#include "document/files/repairs_json.h"
#include "document/files/shoot_file.h"
#include "document/framing/output_size.h"
#include "document/kept_places.h"
#include "document/values.h"
#include "film/align_brackets.h"
#include "film/checks.h"
#include "film/film.h"
#include "film/motion.h"
#include "film/propose_keys.h"
#include "find_repairs/find_repairs.h"

namespace tsukimi::cli {
namespace {

struct PlanOptions {
  std::string folder, out, keys = "", aside, places, repairs;
  BracketOptions brackets;
  bool align_brackets = false;
  LightOptions light;
  FramingOptions framing;
  PaceOptions pace;
  TrailOptions trails;
  std::vector<std::string> sets, outs, looks, easings;
  bool propose = false, fill = false, close_up = false, by_time = false, stills = false,
       find_dust = false, overwrite = false;
  double fps = 24;
  int sequence = -1, in = 0, out_frame = -1;
};

struct Keys {
  int automatic = 0;  // how many at most; 0: listed
  std::vector<int> listed;
};

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

Result<void> check_frame(int frame, const Shoot& shoot, const char* what) {
  if (frame < shoot.frame_count()) return {};
  return fail("Frame " + std::to_string(frame) + " of " + what +
              " is not in the sequence, which has frames 0 to " +
              std::to_string(shoot.frame_count() - 1) + ".");
}

// Values for all frames stand on the first frame when there is no key frame.
void set_everywhere(Shoot& shoot, Setting setting, double value) {
  auto& keys = keyed(shoot.decisions, setting.target()).keys;
  if (keys.empty()) add_key(shoot, 0, setting.target());
  for (auto& k : keys) k.values[setting.param] = value;
}

// What needs the pictures: proposed values, and the airlight of key frames whose haze is set.
Result<void> finish_looks(Shoot& shoot, const PlanOptions& o, const std::vector<Set>& sets) {
  const bool air_given = std::any_of(sets.begin(), sets.end(), [](const Set& s) {
    const Param p = s.setting.param;
    return p == Param::airlight_red || p == Param::airlight_green || p == Param::airlight_blue;
  });
  auto hazy = [](const KeyFrame& k) { return k.values[Param::haze] != 0; };
  const auto& keys = shoot.decisions.look.keys;
  const bool in_places = std::ranges::any_of(shoot.decisions.places, [](const LocalPlace& p) {
    return std::ranges::any_of(p.values.keys,
                               [](const KeyFrame& k) { return k.values[Param::place_haze] != 0; });
  });
  const bool air = !air_given && (in_places || std::any_of(keys.begin(), keys.end(), hazy));
  if (!o.propose && !air) return {};
  ProxyStore store(shoot.sequence.folder);
  LightPlan plan;
  if (shoot.decisions.level.on || shoot.decisions.deflicker.on)
    plan =
        plan_light(shoot, measure_light(shoot, store, {terminal_progress("measuring"), nullptr}));
  if ((o.propose || air) && keys.empty()) add_key(shoot, 0);
  for (std::size_t k = 0; k < keys.size(); ++k) {
    const int frame = shoot.sequence.place_of(keys[k].frame);
    if (o.propose) {
      propose_at(shoot, store, plan, frame);
      for (const auto& s : sets)  // what was asked for stands
        if (s.frame < 0 || s.frame == frame) set_value(shoot, s.setting, frame, s.value);
    }
    if (!air_given && (in_places || hazy(keys[k]))) set_airlight(shoot, store, plan, frame);
  }
  return {};
}

// Saved looks go onto the key frames before single values do.
Result<void> apply_looks(Shoot& shoot, const std::vector<std::string>& texts) {
  std::vector<std::string> wrong;
  const auto all = all_looks(looks_folder(), &wrong);
  for (const std::string& text : texts) {
    const AtFrame at = parse_at_frame(text);
    const auto look = find_look(all, at.what);
    if (!look) return tl::unexpected(look.error());
    if (at.frame >= 0)
      if (auto ok = check_frame(at.frame, shoot, "--look"); !ok) return ok;
    if (shoot.decisions.look.keys.empty() && at.frame < 0) add_key(shoot, 0);
    add_kept_places(shoot, look->places, std::max(at.frame, 0));
    for (int frame : at.frame < 0 ? key_places(shoot) : std::vector<int>{at.frame}) {
      Values& here = values_at_key(shoot, frame);
      here = applied(*look, std::move(here), rows_of(*look));
    }
  }
  return {};
}

Result<void> set_easings(Shoot& shoot, const std::vector<std::string>& texts) {
  for (const std::string& text : texts) {
    const AtFrame at = parse_at_frame(text);
    const Easing easing = parse_easing(at.what);
    if (at.frame >= 0 && (at.frame >= shoot.frame_count() || !has_key(shoot, at.frame)))
      return fail("There is no key frame " + std::to_string(at.frame) +
                  " that --easing could set.");
    for (int frame : at.frame < 0 ? key_places(shoot) : std::vector<int>{at.frame})
      set_easing(shoot, frame, easing);
  }
  return {};
}

// Repairs from a file, and dust that is found; what they leave open is found too.
Result<void> take_repairs(Shoot& shoot, const PlanOptions& o) {
  if (!o.repairs.empty()) {
    auto repairs = read_repairs_file(o.repairs, shoot.frame_count());
    if (!repairs) return tl::unexpected(repairs.error());
    shoot.decisions.repairs = std::move(*repairs);
    for (Repair& r : shoot.decisions.repairs)
      move_keys(r, [&](FrameId k) { return shoot.sequence.id_of(static_cast<int>(k)); });
  }
  if (shoot.decisions.repairs.empty() && !o.find_dust) return {};
  ProxyStore store(shoot.sequence.folder);
  std::vector<std::string> notes;
  if (auto ok =
          complete_repairs(shoot, store, {terminal_progress("looking"), cancel_flag()}, &notes);
      !ok)
    return ok;
  for (const std::string& note : notes) std::cerr << "tsukimi-batch: " << note << "\n";
  if (!o.find_dust) return {};
  const auto found =
      find_dust(dust_frames(shoot, store), {terminal_progress("looking for dust"), cancel_flag()});
  std::cout << add_dust(shoot, found) << " spots of dust found\n";
  return {};
}

// The untouched shoot of the folder, or of one sequence in it.
Result<Shoot> start(const PlanOptions& o) {
  const auto scan = read_folder(
      o.folder,
      {o.by_time ? FrameOrder::time : FrameOrder::name, o.stills ? Pairs::still : Pairs::raw, {}},
      {terminal_progress("reading"), nullptr});
  if (!scan) return tl::unexpected(scan.error());
  const int parts = static_cast<int>(scan->parts.size());
  if (o.sequence >= parts)
    return fail(o.folder + " has " + std::to_string(parts) + " sequences (from 0), no sequence " +
                std::to_string(o.sequence) + ".");
  if (o.sequence < 0 && parts > 1)
    std::cerr << "tsukimi-batch: " << o.folder << " seems to hold " << parts
              << " sequences; all frames are taken as one. --sequence K takes one.\n";
  auto shoot = start_shoot(
      make_sequence(*scan, part_of(*scan, o.sequence), o.brackets.of(shots_in(*scan, o.sequence))));
  if (!shoot) return shoot;
  shoot->decisions.order = scan->options.order;
  const MomentReport report = report_moments(shoot->sequence.frames, shoot->sequence.brackets);
  if (report.set_size > 1)
    std::cout << report.files << " shots are " << report.moments << " moments of "
              << report.set_size << "\n";
  for (const auto& one : report.irregular)
    std::cerr << "tsukimi-batch: moment " << one.frame << " is irregular: " << printable(one.why)
              << "\n";
  if (o.align_brackets && report.set_size > 1) {
    ProxyStore store(shoot->sequence.folder);
    Bracketing how = shoot->decisions.brackets;
    how.aligned = true;
    how.offsets = align_brackets(
        shoot->sequence, store, {terminal_progress("laying shots onto each other"), cancel_flag()});
    if (cancel_flag()->load()) return fail("Cancelled; nothing was planned.");
    group_shoot(*shoot, how);
  }
  return shoot;
}

// Which frames the film has, and how they are framed, paced and lit.
Result<void> set_film(Shoot& shoot, const PlanOptions& o, const std::vector<int>& aside) {
  auto& d = shoot.decisions;
  for (int f : {o.in, std::max(o.out_frame, 0)})
    if (auto ok = check_frame(f, shoot, "--in or --out"); !ok) return ok;
  if (o.out_frame >= 0 && o.out_frame < o.in) return fail("The film would end before it begins.");
  d.in = o.in;
  d.out = o.out_frame;
  for (int f : aside)
    if (auto ok = check_frame(f, shoot, "--set-aside"); !ok) return ok;
  set_aside(shoot, aside, true);
  d.aside = o.fill       ? AsidePolicy::fill
            : o.close_up ? AsidePolicy::close_up
                         : AsidePolicy::automatic;
  d.fps = o.fps;
  if (auto ok = o.light.apply(shoot); !ok) return ok;
  if (auto ok = o.framing.apply(shoot); !ok) return ok;
  return o.pace.apply(shoot);
}

Result<void> add_keys(Shoot& shoot, const Keys& keys) {
  std::vector<int> frames = keys.listed;
  if (keys.automatic > 0) {
    ProxyStore store(shoot.sequence.folder);
    const auto grids = measure_light(shoot, store, {terminal_progress("measuring"), nullptr});
    for (const ProposedKey& key :
         propose_keys(shoot, plan_light(shoot, grids), lamps_course(shoot, grids), keys.automatic))
      frames.push_back(key.frame);
  }
  for (int frame : frames) {
    if (auto ok = check_frame(frame, shoot, "--keys"); !ok) return ok;
    add_key(shoot, frame);
  }
  return {};
}

Result<void> take_places(Shoot& shoot, const std::string& file) {
  if (file.empty()) return {};
  auto places = read_places_file(file, shoot.frame_count());
  if (!places) return tl::unexpected(places.error());
  for (LocalPlace& place : *places) {
    move_keys(place, [&](FrameId k) { return shoot.sequence.id_of(static_cast<int>(k)); });
    shoot.decisions.places.push_back(std::move(place));
  }
  return {};
}

// Values for all frames first, so that values for one frame stand.
Result<void> set_values(Shoot& shoot, const std::vector<Set>& sets) {
  for (const auto& s : sets)
    if (!has(shoot.decisions, s.setting.target()))
      return fail("There is no place " + std::to_string(s.setting.number + 1) +
                  " that --set could change: --places gives them.");
  for (const auto& s : sets)
    if (s.frame < 0) set_everywhere(shoot, s.setting, s.value);
  for (const auto& s : sets) {
    if (s.frame < 0) continue;
    if (auto ok = check_frame(s.frame, shoot, "--set"); !ok) return ok;
    set_value(shoot, s.setting, s.frame, s.value);
  }
  return {};
}

// Measured now, and kept: whether one movement fits is to be known before an export is begun.
void know_whether_it_fits(Shoot& shoot) {
  if (!wants_motion(shoot)) return;
  ProxyStore store(shoot.sequence.folder);
  know_motion(shoot, store, {terminal_progress("measuring how the camera moved"), cancel_flag()});
  if (const std::string misfit = misfit_note(shoot); !misfit.empty())
    std::cerr << "tsukimi-batch: " << misfit << " (--follow-area)\n";
}

Result<void> make_plan(const PlanOptions& o, const Keys& keys, const std::vector<Set>& sets,
                       const std::vector<int>& aside) {
  std::error_code there;
  if (!o.overwrite && std::filesystem::file_size(o.out, there) > 0 && !there)
    return fail(
        printable(o.out) + " is there already; nothing was changed. --overwrite replaces it.",
        ErrorCode::exists);
  auto shoot = start(o);
  if (!shoot) return tl::unexpected(shoot.error());
  if (auto ok = set_film(*shoot, o, aside); !ok) return ok;
  if (auto ok = add_keys(*shoot, keys); !ok) return ok;
  if (auto ok = apply_looks(*shoot, o.looks); !ok) return ok;
  if (auto ok = take_places(*shoot, o.places); !ok) return ok;
  if (auto ok = take_repairs(*shoot, o); !ok) return ok;
  if (auto ok = set_values(*shoot, sets); !ok) return ok;
  if (auto ok = set_easings(*shoot, o.easings); !ok) return ok;
  if (auto ok = finish_looks(*shoot, o, sets); !ok) return ok;
  if (const std::string note = fades_note(*shoot); !note.empty())
    std::cerr << "tsukimi-batch: " << note << "\n";
  know_whether_it_fits(*shoot);
  if (auto ok = o.trails.apply(*shoot); !ok) return ok;
  for (const auto& f : shoot->sequence.frames)
    if (!f.usable())
      std::cerr << "tsukimi-batch: " << printable(f.file) << " " << printable(f.problem)
                << "; it is left out.\n";
  return said(save_shoot(*shoot, o.out, o.overwrite ? Replace::any : Replace::what_was_read));
}

}  // namespace

void add_plan(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "plan", "Make a shoot file: key frames, values, levelling, deflicker, framing.");
  auto o = std::make_shared<PlanOptions>();
  c->add_option("DIR", o->folder, "Folder of frames")->required();
  c->add_option(
       "--out", o->outs,
       "The shoot file to write (.tsukimi); given again with a number, the last frame of the film")
      ->required()
      ->expected(1)
      ->take_all();
  c->add_option("--keys", o->keys, "Key frames: 0,60,179, or auto, or auto:N");
  c->add_option("--set", o->sets, "name=value for all key frames, name=value@frame for one")
      ->expected(1)
      ->take_all();
  c->add_option("--look", o->looks,
                "A saved look, by its name or file, for all key frames or NAME@frame for one")
      ->expected(1)
      ->take_all();
  c->add_option("--places", o->places, "Places from a JSON file (docs/formats.md)");
  c->add_option("--repairs", o->repairs, "Repairs from a JSON file (docs/formats.md)");
  c->add_flag("--find-dust", o->find_dust, "Find dust on the sensor, and take it out");
  c->add_option("--easing", o->easings,
                "smooth, straight, eased or hold: of all key frames, or KIND@frame of one")
      ->expected(1)
      ->take_all();
  c->add_flag("--propose", o->propose, "Give every key frame a look proposed from its picture");
  o->brackets.add_to(*c);
  c->add_flag("--align-brackets", o->align_brackets,
              "Lay the shots of each moment onto each other before they are merged");
  o->light.add_to(*c);
  c->add_option("--set-aside", o->aside, "Frames that are left out of the film: 3,17-19");
  auto* fill = c->add_flag("--fill", o->fill,
                           "Frames set aside are replaced by ones made from their neighbours");
  c->add_flag("--close-up", o->close_up, "The film closes up where frames are set aside")
      ->excludes(fill);
  c->add_option("--in", o->in, "First frame of the film")->check(CLI::NonNegativeNumber);
  c->add_option("--sequence", o->sequence, "One sequence of a folder with several, from 0")
      ->check(CLI::NonNegativeNumber);
  c->add_flag("--by-time", o->by_time, "Order by capture time instead of by name");
  c->add_flag("--stills", o->stills,
              "Of shots that are there as raw and as still picture, take the still picture");
  c->add_flag("--overwrite", o->overwrite, "Replace a shoot that is there already");
  o->framing.add_to(*c);
  o->pace.add_to(*c);
  o->trails.add_to(*c);
  c->add_option("--fps", o->fps, "Frame rate of the film")->check(CLI::Range(1.0, 240.0));
  c->callback([o, &run] {
    const Keys keys = parse_keys(o->keys);
    std::vector<Set> sets;
    for (const auto& s : o->sets) sets.push_back(parse_set(s));
    for (const auto& s : o->easings) (void)parse_easing(parse_at_frame(s).what);
    o->light.parse();
    o->framing.parse();
    o->pace.parse();
    o->trails.parse();
    for (const auto& text : o->outs) {
      int frame = 0;
      const bool number = parse_number(std::string_view(text), frame);
      if ((number && (o->out_frame >= 0 || frame < 0)) || (!number && !o->out.empty()))
        throw CLI::ValidationError("--out", "is one shoot file and at most one frame");
      number ? void(o->out_frame = frame) : void(o->out = text);
    }
    if (o->out.empty()) throw CLI::ValidationError("--out", "the shoot file is missing");
    const auto aside = parse_frames(o->aside, "--set-aside");
    run = [=] { return make_plan(*o, keys, sets, aside); };
  });
}

}  // namespace tsukimi::cli
