// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/profile.h"

#include <lcms2.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>

namespace tsukimi {
namespace {

struct Curve {
  cmsToneCurve* curve;
  explicit Curve(const Transfer& t) {
    // ICC 1:2010, 10.16: Y = (aX + b)^g from d on, cX below it.
    const double g = 1 / t.exponent, a = 1 / (1 + t.offset), b = t.offset / (1 + t.offset),
                 c = t.slope > 0 ? 1 / t.slope : 0, d = t.slope * t.knee;
    const double steps[] = {g, a, b, c, d};
    curve = d > 0 ? cmsBuildParametricToneCurve(nullptr, 4, steps) : cmsBuildGamma(nullptr, g);
  }
  ~Curve() { cmsFreeToneCurve(curve); }
  Curve(const Curve&) = delete;
  Curve& operator=(const Curve&) = delete;
};

void describe(cmsHPROFILE profile, const char* label) {
  const auto set = [&](cmsTagSignature tag, const char* text) {
    cmsMLU* words = cmsMLUalloc(nullptr, 1);
    cmsMLUsetASCII(words, "en", "US", text);
    cmsWriteTag(profile, tag, words);
    cmsMLUfree(words);
  };
  set(cmsSigProfileDescriptionTag, label);
  set(cmsSigCopyrightTag, "No copyright, use freely");
}

cmsHPROFILE make(ColourSpace space) {
  if (space == ColourSpace::srgb) return cmsCreate_sRGBProfile();
  const ColourSpaceInfo& s = info(space);
  const cmsCIExyY white{s.white.x, s.white.y, 1};
  const cmsCIExyYTRIPLE primaries{
      {s.red.x, s.red.y, 1}, {s.green.x, s.green.y, 1}, {s.blue.x, s.blue.y, 1}};
  const Curve curve(s.transfer);
  cmsToneCurve* curves[] = {curve.curve, curve.curve, curve.curve};
  cmsHPROFILE profile = cmsCreateRGBProfile(&white, &primaries, curves);
  describe(profile, s.label);
  return profile;
}

// Tags that differ between the versions are written anew in the forms of the older one: curves as
// tables, texts in ASCII.
void make_old(cmsHPROFILE profile) {
  constexpr int kEntries = 1024;
  cmsSetProfileVersion(profile, 2.1);
  const auto* curve = static_cast<const cmsToneCurve*>(cmsReadTag(profile, cmsSigRedTRCTag));
  // One exponent can be said as it is.
  constexpr int kExponent = 1;
  cmsToneCurve* table = nullptr;
  if (cmsGetToneCurveParametricType(curve) == kExponent) {
    table = cmsDupToneCurve(curve);
  } else {
    std::array<cmsUInt16Number, kEntries> values;
    for (int i = 0; i < kEntries; ++i) {
      const float at = static_cast<float>(i) / (kEntries - 1);
      const double v = std::clamp(static_cast<double>(cmsEvalToneCurveFloat(curve, at)), 0.0, 1.0);
      values[static_cast<std::size_t>(i)] = static_cast<cmsUInt16Number>(std::lround(65535 * v));
    }
    table = cmsBuildTabulatedToneCurve16(nullptr, kEntries, values.data());
  }
  for (const auto tag : {cmsSigRedTRCTag, cmsSigGreenTRCTag, cmsSigBlueTRCTag})
    cmsWriteTag(profile, tag, table);
  cmsFreeToneCurve(table);
}

std::vector<std::uint8_t> profile_of(ColourSpace space, int version) {
  cmsHPROFILE profile = make(space);
  if (version < 4) {
    make_old(profile);
    describe(profile, info(space).label);
  }
  cmsUInt32Number size = 0;
  cmsSaveProfileToMem(profile, nullptr, &size);
  std::vector<std::uint8_t> out(size);
  cmsSaveProfileToMem(profile, out.data(), &size);
  cmsCloseProfile(profile);
  // lcms writes the moment of creation into bytes 24..35; same input, same bytes needs a fixed one.
  const std::uint8_t date[12] = {0x07, 0xEA, 0, 1, 0, 1, 0, 0, 0, 0, 0, 0};
  std::copy(std::begin(date), std::end(date), out.begin() + 24);
  std::fill(out.begin() + 84, out.begin() + 100, 0);  // profile id: none
  return out;
}

}  // namespace

const std::vector<std::uint8_t>& icc_profile(ColourSpace space, int version) {
  static const auto all = [] {
    std::array<std::array<std::vector<std::uint8_t>, 2>, ColourSpaces::kCount> out;
    for (const ColourSpaceInfo& s : colour_spaces())
      for (int old : {0, 1})
        out[static_cast<std::size_t>(s.id)][static_cast<std::size_t>(old)] =
            profile_of(s.id, old ? 2 : 4);
    return out;
  }();
  return all[static_cast<std::size_t>(space)][version < 4];
}

}  // namespace tsukimi
