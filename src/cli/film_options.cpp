// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/job_options.h"
#include "cli/parse.h"

namespace tsukimi::cli {
namespace {

struct FilmWords {
  std::string to, codec, bitrate, chroma, space, transfer = "standard", size, frames, part,
                                                 also_frames, sound;
  std::vector<std::string> also_films;
  double quality = 85, fps = 0;
  int bits = 0, poster = -1;
  JobOptions all;
};

// "50M" in bits a second.
long long parse_bitrate(const std::string& text) {
  if (text.empty()) return 0;
  const char unit = text.back();
  const double factor = unit == 'M' ? 1e6 : unit == 'k' ? 1e3 : 1;
  double value = 0;
  if (!parse_number(std::string_view(text).substr(0, text.size() - (factor > 1)), value) ||
      !(value * factor >= 1e4 && value * factor <= 2e9))
    throw CLI::ValidationError("--bitrate", "\"" + text + "\" is not a rate such as 50M or 800k");
  return std::llround(value * factor);
}

// DIR:PATTERN:FORMAT
ExportSettings parse_also_frames(const std::string& text) {
  const auto last = text.rfind(':'),
             first = last == std::string::npos ? last : text.rfind(':', last - 1);
  if (first == std::string::npos || first == 0)
    throw CLI::ValidationError("--also-frames", "\"" + text + "\" is not DIR:PATTERN:FORMAT");
  ExportSettings out;
  out.folder = text.substr(0, first);
  out.pattern = text.substr(first + 1, last - first - 1);
  for (const FormatInfo& f : file_formats())
    if (text.substr(last + 1) == f.name) {
      out.format = f.id;
      return out;
    }
  throw CLI::ValidationError("--also-frames", "\"" + text.substr(last + 1) + "\" is no format");
}

FilmSettings film_for(const std::string& file) {
  auto usual = usual_film(container_of(file));
  if (!usual) throw CLI::ValidationError("--to", usual.error().message);
  usual->file = file;
  return *usual;
}

FilmSettings film_of(const FilmWords& o) {
  FilmSettings f = film_for(o.to);
  for (const CodecInfo& codec : codecs())
    if (o.codec == codec.name) {
      f.codec = codec.id;
      f.bits = codec.bits.front();
      f.sampling = codec.sampling.front();
    }
  const FilmLight light = kFilmLights.named(o.transfer);
  const bool wide = light != FilmLight::standard;
  if (wide && o.codec.empty()) set_light(f, light);
  f.quality = o.quality;
  f.bitrate = parse_bitrate(o.bitrate);
  if (o.bits > 0) f.bits = o.bits;
  if (!o.chroma.empty()) f.sampling = kSamplings.named(o.chroma);
  if (wide && o.bits == 0) f.bits = 10;
  f.space = o.space == "rec2020" || (wide && o.space.empty()) ? ColourSpace::rec2020
                                                              : ColourSpace::rec709;
  f.light = light;
  f.fps = o.fps;
  f.pixels = parse_pixels(o.size);
  f.sound = o.sound;
  f.poster = o.poster;
  if (auto ok = check_film(f); !ok) throw CLI::ValidationError("--codec", ok.error().message);
  return f;
}

// FILE or FILE:SIZE, else as the first one; another container has its own usual codec.
FilmSettings parse_also_film(const std::string& text, const FilmSettings& first) {
  const auto colon =
      text.find(':', text.find_last_of('/') == std::string::npos ? 0 : text.find_last_of('/'));
  const std::string file = text.substr(0, colon);
  FilmSettings f = film_for(file);
  if (f.container == first.container) f = first;
  f.file = file;
  f.quality = first.quality;
  f.fps = first.fps;
  if (f.codec != Codec::gif) f.sound = first.sound;
  f.poster = -1;
  f.pixels = colon == std::string::npos ? first.pixels : parse_pixels(text.substr(colon + 1));
  return f;
}

}  // namespace

void add_film_options(CLI::App& app, const TakeJob& take) {
  auto* c = app.add_subcommand("film", "Develop the shoot and encode it into a film.");
  auto o = std::make_shared<FilmWords>();
  c->add_option("FILE", o->all.file, "The shoot (.tsukimi)")->required();
  c->add_option("--to", o->to, "The film: .mp4, .mov, .webm, .mkv or .gif")->required();
  c->add_option("--codec", o->codec, "Else the usual one of the container")
      ->check(CLI::IsMember(codecs().names()));
  auto* quality = c->add_option("--quality", o->quality, "0 to 100, the same for every codec")
                      ->check(CLI::Range(0.0, 100.0));
  c->add_option("--bitrate", o->bitrate, "Bits a second, as in 50M")->excludes(quality);
  c->add_option("--bits", o->bits, "8 or 10")->check(CLI::IsMember({8, 10}));
  c->add_option("--chroma", o->chroma, "420, 422 or 444")
      ->check(CLI::IsMember({"420", "422", "444"}));
  c->add_option("--space", o->space, "rec709 (usual) or rec2020")
      ->check(CLI::IsMember({"rec709", "rec2020"}));
  c->add_option("--transfer", o->transfer,
                "Light: standard, or wider than white in Rec. 2020: pq or hlg")
      ->check(CLI::IsMember(kFilmLights.names()));
  c->add_option("--fps", o->fps, "Else the shoot's; 23.976 and 29.97 are exact")
      ->check(CLI::Range(1.0, 240.0));
  c->add_option("--size", o->size,
                "Exact size in pixels, WxH, or long:N for the longer edge; else all pixels of the "
                "crop");
  c->add_option("--frames", o->frames, "Only frames A-B of the film, from 0");
  c->add_option("--part", o->part, "Only part I of N, as in 2/4: several machines make one film");
  c->add_option("--sound", o->sound, "Sound, as long as the film or shorter");
  c->add_option("--poster", o->poster, "A frame of the film, from 0, as a JPEG beside it")
      ->check(CLI::Range(0, 1000000));
  c->add_option("--also-frames", o->also_frames, "Frames of the same pass: DIR:PATTERN:FORMAT");
  c->add_option("--also-film", o->also_films, "Another film of the same pass: FILE or FILE:SIZE");
  c->add_flag("--fill-holes", o->all.job.fill_holes,
              "Frames that cannot be read are made from their neighbours");
  c->add_flag("--overwrite", o->all.job.overwrite, "Replace a film that is there already");
  c->callback([o, take] {
    ExportJob& job = o->all.job;
    job.range = parse_range(o->frames);
    job.part = parse_part(o->part);
    job.films = {film_of(*o)};
    if (!o->also_frames.empty()) {
      job.frames = {parse_also_frames(o->also_frames)};
      job.frames.front().pixels = job.films.front().pixels;
    }
    for (const std::string& also : o->also_films)
      job.films.push_back(parse_also_film(also, job.films.front()));
    take(o->all);
  });
}

}  // namespace tsukimi::cli
