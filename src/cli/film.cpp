#include <iostream>

#include "cli/commands.h"
#include "cli/parse.h"
#include "document/shoot_file.h"
#include "output/export_film.h"
#include "output/name_pattern.h"

namespace tsukimi::cli {
namespace {

struct FilmOptions {
  std::string file, to, codec, bitrate, chroma, space = "rec709", size, frames, also;
  double quality = 85, fps = 0;
  int bits = 0;
  bool overwrite = false;
};

std::vector<std::string> codecs() {
  std::vector<std::string> out;
  for (int i = 0; i < kCodecs; ++i) out.emplace_back(info(static_cast<Codec>(i)).name);
  return out;
}

// "50M" in bits a second.
long long parse_bitrate(const std::string& text) {
  if (text.empty()) return 0;
  const char unit = text.back();
  const double factor = unit == 'M' ? 1e6 : unit == 'k' ? 1e3 : 1;
  double value = 0;
  if (!parse_number(std::string_view(text).substr(0, text.size() - (factor > 1)), value) ||
      !(value * factor >= 1e4 && value * factor <= 4e9))
    throw CLI::ValidationError("--bitrate", "\"" + text + "\" is not a rate such as 50M or 800k");
  return std::llround(value * factor);
}

// DIR:PATTERN:FORMAT
std::optional<ExportSettings> parse_also(const std::string& text) {
  if (text.empty()) return {};
  const auto last = text.rfind(':'),
             first = last == std::string::npos ? last : text.rfind(':', last - 1);
  if (first == std::string::npos || first == 0)
    throw CLI::ValidationError("--also-frames", "\"" + text + "\" is not DIR:PATTERN:FORMAT");
  ExportSettings out;
  out.folder = text.substr(0, first);
  out.pattern = text.substr(first + 1, last - first - 1);
  for (int f = 0; f < kFileFormats; ++f)
    if (text.substr(last + 1) == info(static_cast<FileFormat>(f)).name) {
      out.format = static_cast<FileFormat>(f);
      return out;
    }
  throw CLI::ValidationError("--also-frames", "\"" + text.substr(last + 1) + "\" is no format");
}

Sampling parse_chroma(const std::string& text) {
  return text == "420"   ? Sampling::half_both
         : text == "422" ? Sampling::half_across
                         : Sampling::full;
}

Result<void> told(const FilmMade& made, const FilmOrder& order) {
  const FilmReport& film = made.film;
  if (film.finished)
    std::cout << order.film.file.string() << ": " << film.total << " frames, " << film.encoded
              << " encoded now\n";
  if (made.frames) std::cout << made.frames->written << " frames written\n";
  if (made.complete()) return {};
  if (film.cancelled) return fail("Cancelled; the same film goes on from there.");
  std::string all;
  for (const auto& p : film.problems) all += (all.empty() ? "" : " ") + p;
  if (made.frames)
    for (const auto& p : made.frames->problems) all += (all.empty() ? "" : " ") + p;
  return fail(all);
}

Result<void> run_film(const FilmOptions& o, FilmOrder order, Size size) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  shoot->decisions.output.size = size;
  shoot->decisions.output.long_edge = 0;
  order.film.rate = rate_of(o.fps > 0 ? o.fps : shoot->decisions.fps);
  for (const auto& note : {shape_note(*shoot), enlarged_note(*shoot)})
    if (!note.empty()) std::cerr << "tsukimi-batch: " << note << "\n";
  const auto made = export_film(*shoot, {}, order, [](const char* step) {
    return Work{terminal_progress(step), cancel_flag()};
  });
  if (!made) return tl::unexpected(made.error());
  return told(*made, order);
}

}  // namespace

void add_film(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("film", "Develop the shoot and encode it into a film.");
  auto o = std::make_shared<FilmOptions>();
  c->add_option("FILE", o->file, "The shoot (.tsukimi)")->required();
  c->add_option("--to", o->to, "The film: .mp4, .mov, .webm or .mkv")->required();
  c->add_option("--codec", o->codec, "Else the usual one of the container")
      ->check(CLI::IsMember(codecs()));
  auto* quality = c->add_option("--quality", o->quality, "0 to 100, the same for every codec")
                      ->check(CLI::Range(0.0, 100.0));
  c->add_option("--bitrate", o->bitrate, "Bits a second, as in 50M")->excludes(quality);
  c->add_option("--bits", o->bits, "8 or 10")->check(CLI::IsMember({8, 10}));
  c->add_option("--chroma", o->chroma, "420, 422 or 444")
      ->check(CLI::IsMember({"420", "422", "444"}));
  c->add_option("--space", o->space, "rec709 or rec2020")
      ->check(CLI::IsMember({"rec709", "rec2020"}));
  c->add_option("--fps", o->fps, "Else the shoot's; 23.976 and 29.97 are exact")
      ->check(CLI::Range(1.0, 240.0));
  c->add_option("--size", o->size, "Exact size in pixels, WxH; else all pixels of the crop");
  c->add_option("--frames", o->frames, "Only frames A-B of the film, from 0");
  c->add_option("--also-frames", o->also, "Frames of the same pass: DIR:PATTERN:FORMAT");
  c->add_flag("--overwrite", o->overwrite, "Replace a film that is there already");
  c->callback([o, &run] {
    FilmOrder order;
    order.range = parse_range(o->frames);
    order.overwrite = o->overwrite;
    order.also_frames = parse_also(o->also);
    FilmSettings& f = order.film;
    f.file = o->to;
    const auto usual = usual_codec(f.file);
    if (!usual) throw CLI::ValidationError("--to", usual.error().message);
    f.codec = *usual;
    for (int i = 0; i < kCodecs; ++i)
      if (o->codec == info(static_cast<Codec>(i)).name) f.codec = static_cast<Codec>(i);
    f.quality = o->quality;
    f.bitrate = parse_bitrate(o->bitrate);
    f.bits = o->bits > 0 ? o->bits : info(f.codec).bits.front();
    f.sampling = o->chroma.empty() ? info(f.codec).sampling.front() : parse_chroma(o->chroma);
    f.space = o->space == "rec2020" ? ColourSpace::rec2020 : ColourSpace::rec709;
    if (auto ok = check_film(f); !ok) throw CLI::ValidationError("--codec", ok.error().message);
    Size size;
    if (!o->size.empty()) {
      const auto s = parse_size(o->size);
      size = {s.width, s.height};
    }
    run = [=] { return run_film(*o, order, size); };
  });
}

}  // namespace tsukimi::cli
