// SPDX-License-Identifier: GPL-3.0-or-later
#include "camera/lens_profile.h"

#include <lensfun/lensfun.h>

#include <algorithm>
#include <cstring>

namespace tsukimi {
namespace {

// The simulated camera's lens. r of the distortion is 1 at half the shorter side, r of the
// vignetting at the corner.
constexpr const char* kOwnLenses = R"(<!DOCTYPE lensdatabase SYSTEM "lensfun-database.dtd">
<lensdatabase version="1">
  <mount><name>Tidewater</name></mount>
  <camera>
    <maker>Tidewater</maker>
    <model>Tidewater S1</model>
    <mount>Tidewater</mount>
    <cropfactor>1</cropfactor>
  </camera>
  <lens>
    <maker>Tidewater</maker>
    <model>Tidewater 28 mm f/2.8</model>
    <mount>Tidewater</mount>
    <cropfactor>1</cropfactor>
    <calibration>
      <distortion model="poly3" focal="28" k1="-0.022"/>
      <tca model="linear" focal="28" kr="1.0012" kb="0.9990"/>
      <vignetting model="pa" focal="28" aperture="5.6" distance="10" k1="-0.32" k2="0.06" k3="-0.04"/>
      <vignetting model="pa" focal="28" aperture="8" distance="10" k1="-0.26" k2="0.06" k3="-0.04"/>
    </calibration>
  </lens>
</lensdatabase>
)";

}  // namespace

struct LensDatabase {
  lfDatabase* db = nullptr;
  LensDatabase() : db(lf_db_new()) {
    (void)lf_db_load(db);  // without the data package only our own lens is known
    (void)lf_db_load_data(db, "own lenses", kOwnLenses, std::strlen(kOwnLenses));
  }
  ~LensDatabase() { lf_db_destroy(db); }
  LensDatabase(const LensDatabase&) = delete;
  LensDatabase& operator=(const LensDatabase&) = delete;
};

namespace {

std::shared_ptr<const LensMesh> make_mesh(const lfDatabase* db, const FrameInfo& f) {
  // A camera that is not known, or whose maker is not, still may have a lens that is.
  const lfCamera** cameras = lf_db_find_cameras(db, f.maker.c_str(), f.camera.c_str());
  const lfCamera* camera = cameras ? cameras[0] : nullptr;
  lf_free(cameras);
  const lfLens** lenses = lf_db_find_lenses_hd(db, camera, nullptr, f.lens.c_str(), 0);
  if (!lenses) return {};
  const lfLens* lens = lenses[0];
  lf_free(lenses);
  // The model does not depend on the number of pixels, only on the shape.
  const int w = 3000, h = std::max(2, static_cast<int>(3000.0 * f.size.height / f.size.width));
  lfModifier* modifier =
      lf_modifier_new(lens, camera ? camera->CropFactor : lens->CropFactor, w, h);
  const float aperture = f.aperture > 0 ? static_cast<float>(f.aperture) : 8.0f;
  const float distance = f.focus_distance > 0 ? static_cast<float>(f.focus_distance) : 1000.0f;
  const int done = lf_modifier_initialize(
      modifier, lens, LF_PF_F32, static_cast<float>(f.focal_length), aperture, distance, 1.0f,
      lens->Type, LF_MODIFY_TCA | LF_MODIFY_DISTORTION | LF_MODIFY_VIGNETTING, 0);
  auto mesh = std::make_shared<LensMesh>();
  mesh->nodes.resize(LensMesh::kNodes);
  for (int row = 0; row < LensMesh::kRows; ++row)
    for (int column = 0; column < LensMesh::kColumns; ++column) {
      const float x = static_cast<float>(column) * static_cast<float>(w - 1) /
                      (LensMesh::kColumns - 1),
                  y = static_cast<float>(row) * static_cast<float>(h - 1) / (LensMesh::kRows - 1);
      float at[6] = {x, y, x, y, x, y}, light[3] = {1, 1, 1};
      if (done & (LF_MODIFY_TCA | LF_MODIFY_DISTORTION))
        (void)lf_modifier_apply_subpixel_geometry_distortion(modifier, x, y, 1, 1, at);
      if (done & LF_MODIFY_VIGNETTING)
        (void)lf_modifier_apply_color_modification(modifier, light, x, y, 1, 1,
                                                   LF_CR_3(RED, GREEN, BLUE), sizeof light);
      auto& node = mesh->nodes[static_cast<std::size_t>(row) * LensMesh::kColumns + column];
      for (int c = 0; c < 3; ++c) {
        node.x[c] = at[2 * c] / static_cast<float>(w - 1);
        node.y[c] = at[2 * c + 1] / static_cast<float>(h - 1);
      }
      node.gain = light[1];
    }
  lf_modifier_destroy(modifier);
  return mesh;
}

}  // namespace

std::shared_ptr<const LensMesh> LensLibrary::find(const FrameInfo& f) {
  if (f.lens.empty() || f.focal_length <= 0 || f.size.width <= 0) return {};
  char numbers[96];
  std::snprintf(numbers, sizeof numbers, "|%.2f|%.2f|%.2f|%d:%d", f.focal_length, f.aperture,
                f.focus_distance, f.size.width, f.size.height);
  const std::string key = f.camera + "|" + f.lens + numbers;
  const std::lock_guard lock(mutex_);
  if (const auto it = known_.find(key); it != known_.end()) return it->second;
  if (!database_) database_ = std::make_shared<LensDatabase>();
  return known_[key] = make_mesh(database_->db, f);
}

}  // namespace tsukimi
