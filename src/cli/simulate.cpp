// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/simulate.h"
#include "cli/commands.h"
#include "cli/parse.h"

namespace tsukimi::cli {

namespace {

using Options = std::shared_ptr<sim::SimulateOptions>;

void add_tripod(CLI::App& c, const Options& o) {
  c.add_option("--wobble", o->camera.shaking, "Pixels by which frames shake, standard deviation")
      ->check(CLI::Range(0.0, 50.0));
  c.add_option("--bump", o->camera.bump, "Pixels by which the tripod is shoved in the last third")
      ->check(CLI::Range(0.0, 200.0));
  c.add_option("--drift", o->camera.drift, "Pixels by which the camera moves over the sequence")
      ->check(CLI::Range(-2000.0, 2000.0));
  c.add_option("--turn", o->camera.turn, "Degrees by which frames are turned, standard deviation")
      ->check(CLI::Range(0.0, 5.0));
}

std::shared_ptr<sim::PhotoOptions> add_scene(CLI::App& c) {
  auto photos = std::make_shared<sim::PhotoOptions>();
  auto* ground =
      c.add_option("--ground", photos->ground, "A photograph as the ground, not the harbour");
  auto* sky = c.add_option("--sky", photos->sky, "A photograph as the sky above it, which drifts");
  ground->needs(sky);
  sky->needs(ground);
  c.add_option("--strip", photos->strip, "Share of the height that is ground")
      ->check(CLI::Range(0.0, 1.0));
  c.add_option("--clouds", photos->clouds, "Pixels that the sky moves in a frame")
      ->check(CLI::Range(-200.0, 200.0));
  c.add_option("--shade", photos->shade, "Stops that clouds take from the ground")
      ->check(CLI::Range(0.0, 4.0));
  c.add_option("--ferry", photos->ferry, "Pixels that a ferry moves in a frame; 0: none")
      ->check(CLI::Range(-200.0, 200.0));
  return photos;
}

std::shared_ptr<std::string> add_sensor(CLI::App& c, const Options& o) {
  c.add_flag("--lens", o->camera.lens, "Through a lens that bends, fringes and darkens");
  c.add_flag("--compressed", o->camera.compressed, "Raw files packed without loss (lossless JPEG)");
  c.add_option("--grains", o->camera.grains, "Grains of dust on the sensor")
      ->check(CLI::Range(0, 200));
  c.add_flag("--profiles", o->camera.profiles, "Dust of three profiles: round, flat, soft");
  auto apertures = std::make_shared<std::string>();
  c.add_option("--apertures", *apertures,
               "Other f-numbers from these frames on: FRAME:F,FRAME:F, ...");
  c.add_flag("--jpeg", o->jpeg, "The camera writes JPEG, not raw files");
  return apertures;
}

void add_light(CLI::App& c, const Options& o) {
  auto per_cent = [&](const char* name, double& value, const char* what) {
    c.add_option(name, value, what)->check(CLI::Range(0.0, 30.0));
  };
  per_cent("--flicker", o->camera.flicker_percent, "Per cent by which frames flicker (3)");
  per_cent("--banding", o->camera.uneven.banding, "Per cent of bands over the rows, of any phase");
  per_cent("--part-flicker", o->camera.uneven.part, "Per cent by which the left half flickers");
  per_cent("--colour-flicker", o->camera.uneven.colour,
           "Per cent by which red and blue flicker apart");
  c.add_flag_callback(
      "--dawn", [o] { std::swap(o->camera.from, o->camera.to); },
      "From night to day: the light and the steps go the other way");
  c.add_flag("--auto-exposure", o->camera.automatic, "The camera meters every frame");
  c.add_option("--fall", o->camera.fall,
               "Stops by which the light falls beyond what the evening's own does")
      ->check(CLI::Range(0.0, 12.0));
  c.add_option("--step-error", o->camera.step_error,
               "Stops by which settings are not what their numbers stand for, standard deviation")
      ->check(CLI::Range(0.0, 1.0));
  c.add_option("--lightning", o->camera.uneven.lightning,
               "Frames in which the upper half is brighter by 1.5 stops")
      ->check(CLI::Range(0, 100));
  c.add_option("--slips", o->camera.uneven.slips,
               "Frames two stops off, which the metadata do not tell")
      ->check(CLI::Range(0, 100));
}

// Stars instead of the evening.
std::shared_ptr<sim::NightOptions> add_night(CLI::App& c, const Options& o) {
  auto night = std::make_shared<sim::NightOptions>();
  auto* on = c.add_flag_callback(
      "--night", [o] { o->camera.night = true, o->camera.steps = false; },
      "A clear night: 15 s at ISO 1600 and f/2.8, the sky turns about a pole");
  auto needs_night = [on](CLI::Option* option) { option->needs(on); };
  needs_night(c.add_option_function<std::string>(
      "--pole",
      [night](const std::string& text) {
        const auto comma = text.find(',');
        if (comma == text.npos ||
            !parse_number(std::string_view(text).substr(0, comma), night->pole_x) ||
            !parse_number(std::string_view(text).substr(comma + 1), night->pole_y) ||
            std::abs(night->pole_x) > 20 || std::abs(night->pole_y) > 20)
          throw CLI::ValidationError("--pole", "\"" + text + "\" is not X,Y");
      },
      "Where the pole is, in fractions of the frame; may lie outside: X,Y"));
  needs_night(c.add_flag("--south", night->backwards, "The sky turns clockwise"));
  needs_night(
      c.add_option("--planes", night->planes, "Planes that cross")->check(CLI::Range(0, 50)));
  needs_night(c.add_option("--satellites", night->satellites, "Satellites that cross")
                  ->check(CLI::Range(0, 200)));
  needs_night(c.add_option("--car-lamps", night->lamps, "Frames that a car's lamp lights")
                  ->check(CLI::Range(0, 50)));
  needs_night(c.add_flag("--aurora", night->aurora, "Green light in the north"));
  needs_night(c.add_flag("--moonset", night->moonset, "The moon goes down"));
  needs_night(c.add_option("--bank-from", night->bank_from,
                           "From this part of the sequence on clouds hide the stars ...")
                  ->check(CLI::Range(0.0, 1.0)));
  needs_night(
      c.add_option("--bank-to", night->bank_to, "... until this one")->check(CLI::Range(0.0, 1.0)));
  needs_night(c.add_option("--stars", night->stars, "Only the brightest; 0: all")
                  ->check(CLI::Range(0, 100000)));
  return night;
}

void add_left_out(CLI::App& c, const Options& o) {
  auto off = [&](const char* name, bool sim::CameraOptions::*flag, const char* what) {
    c.add_flag_callback(
        name, [o, flag] { o->camera.*flag = false; }, what);
  };
  off("--no-exposure-data", &sim::CameraOptions::metadata,
      "The metadata do not tell shutter, ISO and aperture");
  off("--no-steps", &sim::CameraOptions::steps, "The camera keeps one exposure");
  off("--no-flicker", &sim::CameraOptions::flicker, "No brightness noise from frame to frame");
  off("--no-wrong-aperture", &sim::CameraOptions::wrong_aperture, "No frame with a wrong aperture");
  off("--no-ruined", &sim::CameraOptions::ruined, "No headlights");
  off("--no-wobble", &sim::CameraOptions::wobble, "The tripod stands still");
  off("--no-dust", &sim::CameraOptions::dust, "A clean sensor");
  off("--no-hot-pixels", &sim::CameraOptions::hot_pixels, "No hot pixels");
  off("--no-gap", &sim::CameraOptions::gap, "No missing frames");
  off("--no-noise", &sim::CameraOptions::noise, "No shot and read noise");
}

std::vector<std::pair<int, double>> parse_apertures(const std::string& text) {
  std::vector<std::pair<int, double>> out;
  for (const auto& part : split(text)) {
    const auto colon = part.find(':');
    int frame = 0;
    double number = 0;
    if (colon == std::string::npos ||
        !parse_number(std::string_view(part).substr(0, colon), frame) ||
        !parse_number(std::string_view(part).substr(colon + 1), number) || frame < 0 ||
        !(number >= 2.8 && number <= 22))
      throw CLI::ValidationError("--apertures", "\"" + part + "\" is not FRAME:F");
    out.emplace_back(frame, number);
  }
  return out;
}

}  // namespace

void add_simulate(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand(
      "simulate", "Let the simulated camera shoot the harbour into a folder of DNG files.");
  auto o = std::make_shared<sim::SimulateOptions>();
  auto size = std::make_shared<std::string>("1500x1000");
  c->add_option("--out", o->folder, "Folder for the frames")->required();
  c->add_option("--frames", o->camera.frames, "Number of frames")->check(CLI::Range(1, 9000));
  c->add_option("--size", *size, "Size in pixels, WxH");
  c->add_option("--seed", o->camera.seed, "Another seed, another evening");
  c->add_option("--interval", o->camera.interval, "Seconds between frames")
      ->check(CLI::Range(0.05, 86400.0));
  c->add_option("--brackets", o->camera.bracket, "Shots of every moment, of different exposures")
      ->check(CLI::Range(1, 9));
  c->add_option("--bracket-thirds", o->camera.bracket_thirds,
                "Thirds of a stop from one of them to the next (6)")
      ->check(CLI::Range(1, 12));
  c->add_option("--faults", o->camera.faults,
                "Further frames that something happens to: lost focus, a hand before the lens, ...")
      ->check(CLI::Range(0, 1000));
  c->add_option("--live", o->live, "Seconds per frame: shoot now, a file at a time")
      ->check(CLI::Range(0.05, 3600.0));
  auto card = std::make_shared<bool>(false);
  c->add_flag("--card", *card,
              "Make a camera card instead: two sequences and a bracketed run in one folder");
  c->add_option("--truth", o->truth, "Write what really happened to this JSON file");
  add_tripod(*c, o);
  const auto photos = add_scene(*c);
  const auto apertures = add_sensor(*c, o);
  add_light(*c, o);
  const auto night = add_night(*c, o);
  add_left_out(*c, o);
  c->callback([o, size, card, photos, apertures, night, &run] {
    if (o->camera.night) o->night = *night;
    if (!photos->ground.empty()) o->photos = *photos;
    if (!apertures->empty()) o->camera.apertures = parse_apertures(*apertures);
    const auto s = parse_size(*size);
    o->size = {s.width, s.height};
    if (s.width % 2 || s.height % 2 || s.width < 64 || s.height < 64)
      throw CLI::ValidationError("--size", "needs even numbers of at least 64");
    if (*card)
      run = [o] {
        return sim::simulate_card(o->folder, o->camera.seed, o->size,
                                  {terminal_progress("shooting"), nullptr});
      };
    else
      run = [o] { return sim::simulate(*o, {terminal_progress("shooting"), nullptr}); };
  });
}

}  // namespace tsukimi::cli
