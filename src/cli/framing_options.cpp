// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/framing_options.h"

#include <cmath>

namespace tsukimi::cli {
namespace {

// Numbers between commas; nothing when one of them is none.
std::optional<std::vector<double>> numbers_in(const std::string& text) {
  std::vector<double> out;
  for (const auto& part : split(text)) {
    double v = 0;
    if (!parse_number(std::string_view(part), v) || !std::isfinite(v)) return {};
    out.push_back(v);
  }
  return out;
}

}  // namespace

void FramingOptions::add_to(CLI::App& c) {
  c.add_option("--crop", crop_,
               "Crop to a shape, as in 16:9, or to x,y,w,h in fractions of the frame");
  c.add_option("--straighten", straighten_,
               "Degrees by which what should be level leans, clockwise: it is turned upright")
      ->check(CLI::Range(-45.0, 45.0));
  c.add_option("--glide", glide_,
               "Key frames of the crop: FRAME:x,y,w[,angle];... in fractions of the frame; or "
               "push-in, pull-out, pan-left, pan-right over the whole film");
  c.add_option("--ease", ease_, "in-out: the glide begins and ends at rest; none: evenly")
      ->check(CLI::IsMember({"in-out", "none"}));
  c.add_option("--steady", steady_,
               "hold: as if on rock; drift:P: movements slower than P frames are kept; stars: the "
               "stars stand, the land turns");
  c.add_option(
       "--follow-area", areas_,
       "x,y,w,h in fractions of the frame: what stands still, for --steady; may be repeated")
      ->expected(1)
      ->take_all();
}

void FramingOptions::parse() {
  if (!crop_.empty()) {
    shape_ = parse_aspect(crop_);
    const auto v = numbers_in(crop_);
    constexpr double kSmallestCrop = 0.005, kRounding = 1e-6;
    if (!shape_ && v && v->size() == 4) area_ = Rect{(*v)[0], (*v)[1], (*v)[2], (*v)[3]};
    if (area_ && !(area_->x >= 0 && area_->y >= 0 && area_->w >= kSmallestCrop &&
                   area_->h >= kSmallestCrop && area_->x + area_->w <= 1 + kRounding &&
                   area_->y + area_->h <= 1 + kRounding))
      throw CLI::ValidationError("--crop", "\"" + crop_ + "\" does not lie within the frame");
    if (!shape_ && !area_)
      throw CLI::ValidationError("--crop",
                                 "\"" + crop_ + "\" is neither a shape such as 16:9 nor x,y,w,h");
  }
  keys_.clear();
  proposed_.reset();
  for (const auto& [kind, word] : kGlideKinds)
    if (glide_ == word) proposed_ = kind;
  if (!glide_.empty() && !proposed_)
    for (const auto& text : split(glide_, ';')) {
      Key key;
      const auto colon = text.find(':');
      const auto v = colon == text.npos ? std::nullopt : numbers_in(text.substr(colon + 1));
      if (!v || !parse_number(std::string_view(text).substr(0, colon), key.frame) ||
          key.frame < 0 || v->size() < 3 || v->size() > 4)
        throw CLI::ValidationError("--glide",
                                   "\"" + text + "\" is not FRAME:x,y,w or FRAME:x,y,w,angle");
      key.x = (*v)[0], key.y = (*v)[1], key.w = (*v)[2];
      if (v->size() == 4) key.angle = (*v)[3];
      keys_.push_back(key);
    }
  steadying_ = {};
  for (const std::string& text : areas_)
    steadying_.areas.push_back(parse_area(text, "--follow-area"));
  constexpr std::string_view kDrift = "drift:";
  if (steady_ == "hold")
    steadying_.how = Steadying::hold;
  else if (steady_ == "stars")
    steadying_.how = Steadying::stars;
  else if (steady_.starts_with(kDrift) &&
           parse_number(std::string_view(steady_).substr(kDrift.size()), steadying_.period) &&
           steadying_.period >= kLeastPeriod && steadying_.period <= kMostPeriod)
    steadying_.how = Steadying::drift;
  else if (!steady_.empty())
    throw CLI::ValidationError("--steady", "\"" + steady_ +
                                               "\" is neither hold, nor stars, nor drift:P with P "
                                               "from 3 to 2000 frames");
}

Result<void> FramingOptions::apply(Shoot& shoot) const {
  Framing& f = shoot.decisions.framing;
  if (shape_) f.aspect = crop_, f.crop = crop_to_aspect(shoot.sequence.size, *shape_);
  if (area_) f.crop = *area_;
  f.straighten = straighten_;
  f.steady = steadying_;
  if (proposed_) propose_glide(shoot, *proposed_);
  const double high = aspect_of(shoot) / shape_of_crop(shoot);
  constexpr double kRounding = 1e-6;
  for (const Key& k : keys_) {
    const std::string name = "The key frame " + std::to_string(k.frame) + " of --glide ";
    if (k.frame >= shoot.frame_count())
      return fail(name + "is not in the sequence, which has frames 0 to " +
                  std::to_string(shoot.frame_count() - 1) + ".");
    if (!(k.w >= info(Param::crop_w).min && k.x >= 0 && k.y >= 0 && k.x + k.w <= 1 + kRounding &&
          k.y + k.w * high <= 1 + kRounding))
      return fail(name + "does not lie within the frame.");
    if (!(std::abs(k.angle) <= info(Param::crop_angle).max))
      return fail(name + "is turned by more than 45 degrees.");
    const FrameId id = shoot.sequence.id_of(k.frame);
    if (f.glide.find(id)) return fail(name + "is there twice.");
    Values& v = f.glide.at(id, presets(kGlide)).values;
    v[Param::crop_x] = k.x, v[Param::crop_y] = k.y, v[Param::crop_w] = k.w;
    v[Param::crop_angle] = k.angle;
  }
  if (ease_ == "in-out")
    ease_ends(shoot);
  else
    for (KeyFrame& k : f.glide.keys) k.easing = Easing::smooth;
  return {};
}

}  // namespace tsukimi::cli
