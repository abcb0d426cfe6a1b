// SPDX-License-Identifier: GPL-3.0-or-later
// Shared by the tests: folders that clean themselves up, and a small simulated shoot with its
// truth.
#pragma once

#include <stdlib.h>

#include <cmath>
#include <filesystem>
#include <fstream>
#include <nlohmann/json.hpp>
#include <numeric>
#include <vector>

#include "image/image.h"
#include "output/export_job.h"
#include "own_folders.h"
#include "sim/simulate.h"

namespace tsukimi::test {
namespace fs = std::filesystem;

// What is read before it is written is seen by every test.
inline const bool spoiling = (spoil_new_pixels(), true);

class TempDir {
 public:
  TempDir() {
    std::string name = (fs::temp_directory_path() / "tsukimi-test-XXXXXX").string();
    path_ = mkdtemp(name.data());
  }
  ~TempDir() {
    std::error_code ec;
    fs::remove_all(path_, ec);
  }
  TempDir(const TempDir&) = delete;
  TempDir& operator=(const TempDir&) = delete;
  fs::path operator/(const std::string& name) const { return path_ / name; }
  const fs::path& path() const { return path_; }

 private:
  fs::path path_;
};

struct Truth {
  std::vector<double> light, true_gain, nominal_gain, flicker;  // stops
  std::vector<bool> ruined, wrong_setting;
  std::size_t size() const { return light.size(); }
};

inline Truth read_truth(const fs::path& file) {
  std::ifstream in(file);
  const auto j = nlohmann::json::parse(in);
  Truth t;
  for (const auto& f : j.at("frames")) {
    t.light.push_back(f.at("light"));
    t.true_gain.push_back(f.at("true_gain"));
    t.nominal_gain.push_back(f.at("nominal_gain"));
    t.flicker.push_back(std::log2(f.at("flicker").get<double>()));
    t.ruined.push_back(f.at("ruined"));
    t.wrong_setting.push_back(f.at("wrong_setting"));
  }
  return t;
}

// The frames of a shoot, where its decisions say.
inline Result<ExportReport> exported(const Shoot& shoot, const LightPlan& light = {},
                                     ExportRange range = {}, bool overwrite = false,
                                     const Work& work = {}) {
  Shoot copy = shoot;
  const ExportJob job{{shoot.decisions.output}, {}, range, {}, overwrite};
  auto report = run_export(copy, light, job, [&](const char*) { return work; });
  if (!report) return tl::unexpected(report.error());
  return std::move(report->frames.front());
}

struct SmallShoot {
  TempDir dir;
  fs::path folder = dir / "harbour", truth_file = dir / "truth.json";
  Truth truth;
  explicit SmallShoot(sim::CameraOptions camera, Size size = {300, 200}) {
    sim::SimulateOptions o;
    o.camera = camera;
    o.size = size;
    o.folder = folder;
    o.truth = truth_file;
    if (const auto ok = sim::simulate(o); !ok) throw std::runtime_error(ok.error().message);
    truth = read_truth(truth_file);
  }
};

inline double rms(const std::vector<double>& v) {
  const double mean = std::accumulate(v.begin(), v.end(), 0.0) / static_cast<double>(v.size());
  double sum = 0;
  for (double x : v) sum += (x - mean) * (x - mean);
  return std::sqrt(sum / static_cast<double>(v.size()));
}

// What of a course over frames is faster than about 15 frames.
inline std::vector<double> fast_part(const std::vector<double>& v) {
  std::vector<double> out(v.size());
  const int n = static_cast<int>(v.size());
  for (int i = 0; i < n; ++i) {
    const int a = std::max(0, i - 7), b = std::min(n - 1, i + 7);
    out[i] = v[i] - std::accumulate(v.begin() + a, v.begin() + b + 1, 0.0) / (b - a + 1);
  }
  return out;
}

}  // namespace tsukimi::test
