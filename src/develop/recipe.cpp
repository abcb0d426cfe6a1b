// SPDX-License-Identifier: GPL-3.0-or-later
#include "develop/recipe.h"

#include <xxhash.h>

#include <cstdio>

#include "base/text.h"

namespace tsukimi {
namespace {

class TextLine {
 public:
  explicit TextLine(std::string& out) : out_(out) {}
  void word(const std::string& text) { out_ += (out_.empty() ? "" : " ") + text; }
  void number(double v) {
    char text[40];
    std::snprintf(text, sizeof text, "%.9g", v);
    word(text);
  }
  template <typename Numbers>
  void numbers(std::string_view what, const Numbers& all) {
    word(std::string(what));
    for (double v : all) number(v);
  }
  void sum(const char* what, const void* data, std::size_t bytes) {
    char text[20];
    std::snprintf(text, sizeof text, "%016llx",
                  static_cast<unsigned long long>(XXH3_64bits(data, bytes)));
    word(what);
    word(text);
  }

 private:
  std::string& out_;
};

}  // namespace

std::string text_of(const PictureRecipe& r) {
  std::string out;
  TextLine w(out);
  const FrameInfo& f = r.source.info;
  w.word(to_json_name(f.file));
  w.word(std::to_string(f.bytes));
  w.word(std::to_string(f.modified));
  if (f.is_merged()) {
    for (const FrameInfo& other : f.others) {
      w.word("+");
      w.word(to_json_name(other.file));
      w.word(std::to_string(other.bytes));
      w.word(std::to_string(other.modified));
      if (other.dx != 0 || other.dy != 0) w.numbers("moved", std::array{other.dx, other.dy});
    }
    if (f.as_if != 0) w.numbers("as_if", std::array{f.as_if});
    const MergeInfo& by = r.source.merge;
    w.numbers("merged", std::vector<double>(by.stops.begin(), by.stops.end()));
    if (!by.moving.empty()) w.sum("moving", by.moving.data(), by.moving.size());
  }
  // By name: the order of the table is the drawer's.
  std::map<std::string_view, double> set;
  for (const auto& row : r.look.kind.rows())
    if (r.look[row.id] != row.preset) set[row.name] = r.look[row.id];
  for (const auto& [name, value] : set) w.numbers(name, std::array{value});
  const Light& l = r.light;
  if (l.stops != 0) w.numbers("light", std::array{l.stops});
  if (l.channel_stops != Light{}.channel_stops) w.numbers("channels", l.channel_stops);
  if (const auto& wave = l.field.wave; wave.cycles != 0)
    w.numbers("wave", std::array{wave.across ? 1.0 : 0.0, wave.cycles, wave.sine, wave.cosine});
  if (!l.field.coefficients.empty()) {
    w.numbers("field", std::array<double, 2>{1.0 * l.field.across, 1.0 * l.field.down});
    w.numbers("of", l.field.coefficients);
  }
  const Placement& p = r.placement;
  w.numbers("at", std::array{p.corner.x, p.corner.y, p.right.x, p.right.y, p.down.x, p.down.y});
  w.numbers("size", std::array<double, 2>{1.0 * p.size.width, 1.0 * p.size.height});
  if (p.sky) {
    w.numbers("sky", std::array{p.sky->lens.focal, p.sky->lens.bend, p.sky->lens.aspect});
    w.numbers("turn", p.sky->turn);
  }
  if (p.film != Rect{}) w.numbers("film", std::array{p.film.x, p.film.y, p.film.w, p.film.h});
  if (r.lens && r.look[Param::lens_profile] > 0)
    w.sum("lens", r.lens->nodes.data(), r.lens->nodes.size() * sizeof(LensMesh::Node));
  // Which pixels are mended, not only how many.
  if (r.hot_pixels && r.look[Param::hot_pixels] > 0)
    w.sum("hot", r.hot_pixels->data(), r.hot_pixels->size() * sizeof(HotPixel));
  for (const PlaceAt& place : r.places) add_text(out, place);
  for (const RepairAt& repair : r.repairs) add_text(out, repair);
  if (r.film != FilmPosition{})
    w.numbers("frame", std::array<double, 2>{1.0 * r.film.number, 1.0 * r.film.seed});
  return out;
}

}  // namespace tsukimi
