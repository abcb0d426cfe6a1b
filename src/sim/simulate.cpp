// SPDX-License-Identifier: GPL-3.0-or-later
#include "sim/simulate.h"

#include <algorithm>
#include <atomic>
#include <chrono>
#include <cmath>
#include <fstream>
#include <functional>
#include <mutex>
#include <nlohmann/json.hpp>
#include <numbers>
#include <thread>

#include "base/file.h"
#include "develop/develop.h"
#include "develop/display.h"
#include "folder/originals.h"
#include "image/fast_math.h"
#include "output/encode.h"
#include "sim/dng_writer.h"
#include "sim/scene.h"

namespace tsukimi::sim {
namespace fs = std::filesystem;
namespace {

constexpr const char* kTruthFormat = "tsukimi truth";

// Scene light in stops: mean log2 luminance of the middle 80 % of the pixels (of a fixed fifth of
// them).
double scene_light(const Image& scene) {
  std::vector<float> v;
  v.reserve(scene.planes[0].data.size() / 5 + 1);
  for (std::size_t i = 0; i < scene.planes[0].data.size(); i += 5)
    v.push_back(
        fast_log2(std::max(0.2126f * scene.planes[0].data[i] + 0.7152f * scene.planes[1].data[i] +
                               0.0722f * scene.planes[2].data[i],
                           1e-6f)));
  const auto cut = static_cast<std::ptrdiff_t>(v.size() / 10);
  std::nth_element(v.begin(), v.begin() + cut, v.end());
  std::nth_element(v.begin() + cut, v.end() - cut - 1, v.end());
  double sum = 0;
  for (auto it = v.begin() + cut; it != v.end() - cut; ++it) sum += *it;
  return sum / static_cast<double>(v.size() - 2 * cut);
}

// What is before the camera: the harbour, or photographs, in the evening or at night.
using Scene = std::function<Image(double progress, double seconds)>;
struct Stage {
  Scene scene;
  std::shared_ptr<const PhotoScene> photos;
  std::shared_ptr<const NightSky> night = {};
  Plane open = {};  // at night: how much of each pixel shows the sky
};

Image darker(Image scene, double stops) {
  const auto gain = static_cast<float>(std::exp2(-stops));
  for (Plane& plane : scene.planes)
    for (float& v : plane.data) v *= gain;
  return scene;
}

Result<Stage> stage_of(const SimulateOptions& o, Size size) {
  const double fall = o.camera.fall;
  // The night is the evening's end, much later.
  const auto lit = [fall, at_night = o.night.has_value()](const auto& evening, double p, double s) {
    return at_night ? darker(evening(1, s), NightSky::kDarker) : darker(evening(p, s), fall * p);
  };
  const auto with_night = [&](Stage stage, Plane open) {
    if (!o.night) return stage;
    stage.night = std::make_shared<const NightSky>(
        size, *o.night, o.camera.seed, o.camera.interval * (o.camera.frames - 1), o.camera.interval,
        (size.width - o.size.width) / 2);
    stage.open = std::move(open);
    return stage;
  };
  if (!o.photos) {
    const auto harbour = std::make_shared<const HarbourScene>(size, o.camera.seed);
    const auto evening = [harbour, stars = !o.night](double p, double s) {
      return harbour->render(p, s, stars);
    };
    return with_night({[=](double p, double s) { return lit(evening, p, s); }, {}},
                      harbour->open_sky());
  }
  auto made = PhotoScene::make(size, *o.photos, o.camera.seed, o.camera.interval);
  if (!made) return tl::unexpected(made.error());
  const auto photos = std::make_shared<const PhotoScene>(std::move(*made));
  const auto evening = [photos](double p, double s) { return photos->render(p, s); };
  return with_night({[=](double p, double s) { return lit(evening, p, s); }, photos},
                    photos->open_sky());
}

// The meter: light over the evening from small pictures.
Result<std::vector<double>> meter(const SimulateOptions& o, double seconds) {
  SimulateOptions few = o;
  few.night.reset();
  const auto small = stage_of(few, {150, 100});
  if (!small) return tl::unexpected(small.error());
  std::vector<double> out;
  for (int i = 0; i <= 32; ++i)
    out.push_back(scene_light(small->scene(i / 32.0, seconds * i / 32.0)));
  return out;
}

// The camera's own idea of the picture: half size, fixed rendering.
Result<Bytes> preview(const Image& scene, const Shot& shot, Size& size) {
  const int k = std::max(2, scene.width / 750);
  size = {scene.width / k, scene.height / k};
  Image small(size.width, size.height);
  const auto gain = static_cast<float>(1750 * 1.05 * std::exp2(shot.true_gain()) * shot.flicker);
  float m[9];
  for (int i = 0; i < 9; ++i) m[i] = static_cast<float>(srgb_to_rec2020().m[i]) * gain;
  for (int y = 0; y < size.height; ++y)
    for (int x = 0; x < size.width; ++x) {
      float c[3];
      for (int i = 0; i < 3; ++i) {
        float sum = 0;
        for (int j = 0; j < k * k; ++j) sum += scene.planes[i].at(x * k + j % k, y * k + j / k);
        c[i] = sum / static_cast<float>(k * k);
      }
      for (int i = 0; i < 3; ++i)
        small.planes[i].at(x, y) = m[3 * i] * c[0] + m[3 * i + 1] * c[1] + m[3 * i + 2] * c[2];
    }
  return encode_jpeg(to_srgb8(small), 80);
}

std::string file_name(const Shot& shot, bool jpeg) {
  char name[32];
  std::snprintf(name, sizeof name, "TSK_%04d.%s", (shot.number - 1) % 9999 + 1,
                jpeg ? "jpg" : "dng");
  return name;
}

// What the camera makes of its mosaic itself.
Result<Bytes> own_picture(const Mosaic& mosaic, const Shot& shot, bool tells) {
  SensorFrame frame;
  auto numbers = std::make_shared<std::vector<std::uint16_t>>(mosaic.data);
  frame.mosaic.width = mosaic.width;
  frame.mosaic.height = mosaic.height;
  frame.mosaic.black.fill(kBlack);
  frame.mosaic.scale.fill(1.0f / (kWhite - kBlack));
  frame.mosaic.stride = static_cast<std::size_t>(mosaic.width);
  frame.mosaic.numbers = {numbers, numbers->data()};
  frame.colour = camera_colour();
  PictureRecipe how;
  const TemperatureTint seen = as_shot_temperature(frame.colour);
  how.look = neutral_look(seen.kelvin, seen.tint);
  how.placement.size = {mosaic.width, mosaic.height};
  PictureFacts facts;
  facts.frame.time = shot.time;
  if (tells) {
    facts.frame.shutter = shot.nominal_shutter();
    facts.frame.aperture = shot.nominal_aperture();
    facts.frame.iso = shot.nominal_iso();
  }
  facts.frame.focal_length = kFocalLength;
  facts.frame.maker = "Tidewater";
  facts.frame.camera = kCameraName;
  facts.frame.lens = kLensName;
  constexpr int kQuality = 94;
  return encode_jpeg(to_srgb8(develop_frame(std::move(frame), how)), kQuality, Chroma::full,
                     &facts);
}

// One frame as the camera writes it.
Result<Bytes> take(const Image& light, const Shot& shot, const CameraOptions& camera, bool own) {
  const Mosaic mosaic = expose(light, shot, camera);
  if (own) return own_picture(mosaic, shot, camera.metadata);
  Size preview_size;
  const auto jpeg = preview(light, shot, preview_size);
  DngLayout layout;
  layout.compressed = camera.compressed;
  layout.bits = camera.bits;
  layout.tells_exposure = camera.metadata;
  auto dng =
      jpeg ? make_dng(mosaic, shot, *jpeg, preview_size, layout) : tl::unexpected(jpeg.error());
  if (dng && shot.fault == Fault::truncated) dng->resize(dng->size() * 2 / 5);
  return dng;
}

// The same of a scene that is larger than the frame.
Result<Bytes> take_part(const Image& light, const Shot& shot, Size frame,
                        const CameraOptions& camera, bool own) {
  Shot still = shot;
  still.wobble_x = still.wobble_y = still.turn = 0;
  return take(part_seen(light, shot, frame), still, camera, own);
}

nlohmann::json truth_of(const Shot& shot, const Image& light, bool jpeg) {
  return {{"file", file_name(shot, jpeg)},
          {"light", scene_light(light)},
          {"true_gain", shot.true_gain()},
          {"nominal_gain", std::log2(shot.nominal_shutter() * shot.nominal_iso() / 100 /
                                     (shot.nominal_aperture() * shot.nominal_aperture()))},
          {"flicker", shot.flicker},
          {"banding", {shot.uneven.banding, shot.uneven.phase}},
          {"left", shot.uneven.left},
          {"channels", shot.uneven.channel},
          {"lightning", shot.uneven.lightning},
          {"slip", shot.uneven.slip},
          {"wobble", {shot.wobble_x, shot.wobble_y}},
          {"turn", shot.turn * 180 / std::numbers::pi},
          {"ruined", shot.ruined()},
          {"wrong_setting", shot.fault == Fault::aperture},
          {"fault", kFaults[shot.fault].name},
          {"bump", shot.bump},
          {"late_step", shot.late_step},
          {"progress", shot.progress}};
}

// What is there already with the same bytes need not be written: a shoot that was broken off goes
// on.
Result<void> write_once(const fs::path& file, const Bytes& bytes) {
  const auto written = write_file(file, bytes, IfExists::keep, false);
  if (written || written.error().code != ErrorCode::exists) return written;
  const auto there = read_file(file);
  return there && std::ranges::equal(*there, bytes) ? Result<void>() : written;
}

// A slow card: the file grows under its name, half now and half later.
Result<void> write_slowly(const fs::path& file, const Bytes& bytes, double seconds) {
  std::error_code ec;
  if (fs::exists(fs::symlink_status(file, ec)))
    return fail(file.string() + " is there already; it was not touched.", ErrorCode::exists);
  std::ofstream out(file, std::ios::binary);
  const auto half = static_cast<std::streamsize>(bytes.size() / 2);
  out.write(reinterpret_cast<const char*>(bytes.data()), half).flush();
  std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
  out.write(reinterpret_cast<const char*>(bytes.data()) + half,
            static_cast<std::streamsize>(bytes.size()) - half);
  out.close();
  if (!out) return fail(file.string() + " cannot be written.");
  return {};
}

Result<void> check(const SimulateOptions& o) {
  if (o.size.width < 64 || o.size.height < 64 || o.size.width % 2 || o.size.height % 2 ||
      o.size.width > 12000 || o.size.height > 12000)
    return fail("The size must be even numbers from 64 to 12000, as in 1500x1000.");
  if (o.camera.frames < 1 || o.camera.frames > 9000)
    return fail("The number of frames must be from 1 to 9000.");
  if (!(o.camera.interval > 0.05 && o.camera.interval < 86400))
    return fail("The interval must be from 0.05 to 86400 seconds.");
  if (o.truth.empty()) return {};
  if (auto ok = check_no_picture(o.truth); !ok) return ok;
  return check_document(o.truth, kTruthFormat);
}

// A shoot that is going on: each shot is rendered, taken and written, from any thread.
class Shooting {
 public:
  Shooting(const SimulateOptions& o, std::vector<Shot> shots, Stage stage, int margin,
           const Work& work)
      : o_(o),
        shots_(std::move(shots)),
        stage_(std::move(stage)),
        margin_(margin),
        work_(work),
        truth_(shots_.size()) {}

  Result<void> all() {
    const int count = static_cast<int>(shots_.size());
    if (o_.live > 0) {
      auto due = std::chrono::steady_clock::now();
      const auto pace = std::chrono::duration_cast<std::chrono::steady_clock::duration>(
          std::chrono::duration<double>(o_.live));
      for (int i = 0; i < count && !stop_ && !work_.stop(); ++i, due += pace) {
        std::this_thread::sleep_until(due);
        take_one(i);
      }
    } else {
      parallel_ranges(count, 1, [&](int first, int last) {
        for (int i = first; i < last && !stop_ && !work_.stop(); ++i) take_one(i);
      });
    }
    if (!problem_.empty()) return fail(problem_);
    if (work_.stop()) return fail("The simulated shoot was cancelled.");
    return {};
  }
  const std::vector<nlohmann::json>& truth() const { return truth_; }

 private:
  void take_one(int i) {
    const Shot& shot = shots_[static_cast<std::size_t>(i)];
    const CameraOptions& camera = o_.camera;
    const double seconds = camera.interval * (camera.frames - 1),
                 since = (shot.progress - camera.from) / (camera.to - camera.from) * seconds;
    const double now = camera.start + since + shot.delay;
    Image light = stage_.scene(shot.progress, now);
    if (stage_.night)
      stage_.night->add(light, stage_.open, now, std::exp2(shot.shutter_thirds / 3.0));
    if (camera.lens) light = through_lens(light);
    const auto picture = margin_ > 0 ? take_part(light, shot, o_.size, camera, o_.jpeg)
                                     : take(light, shot, camera, o_.jpeg);
    const fs::path file = o_.folder / file_name(shot, o_.jpeg);
    Result<void> written;
    if (!picture)
      written = tl::unexpected(picture.error());
    else if (o_.live > 0)
      written = write_slowly(file, *picture, o_.live * 0.3);
    else
      written = write_once(file, *picture);
    const std::lock_guard lock(mutex_);
    if (!written) {
      if (problem_.empty()) problem_ = written.error().message;
      stop_ = true;
      return;
    }
    nlohmann::json& truth = truth_[static_cast<std::size_t>(i)] = truth_of(shot, light, o_.jpeg);
    if (stage_.photos) {
      truth["sky"] = stage_.photos->sky_at(now);
      if (o_.photos->ferry != 0) truth["ferry"] = stage_.photos->ferry_at(now);
    }
    if (stage_.night) truth["sky_turn"] = stage_.night->turn(now);
    work_.report(++done_, static_cast<int>(shots_.size()));
  }

  const SimulateOptions& o_;
  const std::vector<Shot> shots_;
  const Stage stage_;
  const int margin_;
  const Work& work_;
  std::vector<nlohmann::json> truth_;  // of each shot
  std::mutex mutex_;
  std::string problem_;
  std::atomic<int> done_{0};
  std::atomic<bool> stop_{false};
};

Result<void> write_truth(const SimulateOptions& o, const std::vector<nlohmann::json>& frames) {
  nlohmann::json dust = nlohmann::json::array();
  for (const Dust& d : dust_of(o.camera, o.size))
    dust.push_back({{"at", {(d.x + 0.5) / o.size.width, (d.y + 0.5) / o.size.height}},
                    {"radius", d.radius / o.size.width},
                    {"strength", d.depth},
                    {"profile", kProfiles[d.profile].name}});
  nlohmann::json all{{"format", kTruthFormat},
                     {"seed", o.camera.seed},
                     {"interval", o.camera.interval},
                     {"size", {o.size.width, o.size.height}},
                     {"dust", dust},
                     {"frames", frames}};
  if (o.night) all["pole"] = {o.night->pole_x, o.night->pole_y};
  return write_document(o.truth, all.dump(1) + "\n", kTruthFormat);
}

}  // namespace

Result<void> simulate(const SimulateOptions& o, const Work& work) {
  if (auto ok = check(o); !ok) return ok;
  std::error_code ec;
  fs::create_directories(o.folder, ec);
  if (!is_folder(o.folder))
    return fail("The folder " + o.folder.string() + " cannot be made: " + ec.message() + ".");
  const auto metered = meter(o, o.camera.interval * (o.camera.frames - 1));
  if (!metered) return tl::unexpected(metered.error());
  std::vector<Shot> shots = plan_shots(o.camera, *metered);
  plan_faults(o.camera, o.size, shots);
  plan_uneven(o.camera, shots);
  const int margin = margin_of(o.camera, shots, o.size);
  auto stage = stage_of(o, {o.size.width + 2 * margin, o.size.height + 2 * margin});
  if (!stage) return tl::unexpected(stage.error());
  Shooting shooting(o, std::move(shots), std::move(*stage), margin, work);
  if (auto ok = shooting.all(); !ok) return ok;
  return o.truth.empty() ? Result<void>() : write_truth(o, shooting.truth());
}

Result<void> simulate_card(const fs::path& card, std::uint32_t seed, Size size, const Work& work) {
  const fs::path folder = card / "DCIM" / "100TSUKI";
  SimulateOptions o;
  o.folder = folder;
  o.size = size;
  o.camera.seed = seed;
  o.camera.wrong_aperture = o.camera.ruined = o.camera.gap = false;
  // The quay in the afternoon, every 20 s.
  o.camera.frames = 26;
  o.camera.first_number = 9952;
  o.camera.to = 0.2;
  if (auto ok = simulate(o, work); !ok) return ok;
  // Nine moments of three exposures, for the light in the windows; the counter wraps in between.
  o.camera.frames = 9;
  o.camera.interval = 30;
  o.camera.bracket = 3;
  o.camera.first_number = 9978;
  o.camera.start = 1500;
  o.camera.from = 0.45, o.camera.to = 0.52;
  if (auto ok = simulate(o, work); !ok) return ok;
  // The ferry, every 8 s.
  o.camera.frames = 22;
  o.camera.interval = 8;
  o.camera.bracket = 1;
  o.camera.first_number = 10005;
  o.camera.start = 2600;
  o.camera.from = 0.62, o.camera.to = 0.7;
  if (auto ok = simulate(o, work); !ok) return ok;
  const std::string_view film = "a stray film, not a picture\n";
  return write_once(folder / "TSV_0005.MOV", {film.begin(), film.end()});
}

}  // namespace tsukimi::sim
