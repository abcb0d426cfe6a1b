// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/commands.h"
#include "cli/job_options.h"
#include "cli/parse.h"
#include "output/name_pattern.h"

namespace tsukimi::cli {
namespace {

struct FrameWords {
  std::string size, frames, format, merged, space, chroma = "444", compression = "none", part;
  bool no_location = false;
  ExportSettings out;
  JobOptions all;
};

}  // namespace

void add_export_options(CLI::App& app, const TakeJob& take) {
  auto* c = app.add_subcommand("export", "Develop all frames at full quality into numbered files.");
  auto o = std::make_shared<FrameWords>();
  o->out.pattern.clear();
  c->add_option("FILE", o->all.file, "The shoot (.tsukimi)")->required();
  c->add_option("--to", o->out.folder, "Folder for the frames; made if missing")->required();
  c->add_option(
      "--name", o->out.pattern,
      "Name with # for the digits of the number, as in harbour_#####; {shoot}, {date} and "
      "{time} are filled in");
  c->add_option("--format", o->format, "Kind of file")
      ->check(CLI::IsMember(file_formats().names()));
  c->add_option("--merged", o->merged,
                "Instead: the merged frames, before look, light and framing, in this kind of file")
      ->check(CLI::IsMember({"exr", "dng"}));
  c->add_option("--space", o->space, "Colour space (srgb; of merged frames rec2020)")
      ->check(CLI::IsMember(colour_spaces().names()));
  c->add_option("--quality", o->out.quality, "JPEG quality")->check(CLI::Range(1, 100));
  c->add_option("--chroma", o->chroma, "JPEG: colour in every pixel, or in one of four")
      ->check(CLI::IsMember(kChromas.names()));
  c->add_option("--compression", o->compression, "TIFF: all without loss")
      ->check(CLI::IsMember(kCompressions.names()));
  c->add_option("--size", o->size,
                "Exact size in pixels, WxH, or long:N for the longer edge; else all pixels of the "
                "crop");
  c->add_option("--frames", o->frames,
                "Only frames A-B of the film, from 0; last: the last one alone");
  c->add_option("--part", o->part, "Only part I of N, as in 2/4: several machines make one export");
  c->add_option("--first-number", o->out.first_number, "Number of the film's first frame")
      ->check(CLI::Range(0, 999999));
  c->add_option("--copyright", o->out.copyright, "Goes into every file");
  c->add_option("--icc", o->out.icc, "Version of the colour profile: 4, or 2 for old viewers")
      ->check(CLI::IsMember({2, 4}));
  c->add_flag("--no-location", o->no_location, "Do not tell where the camera stood");
  c->add_flag("--xmp", o->out.sidecars, "An XMP file beside each frame");
  c->add_flag("--overwrite", o->all.job.overwrite, "Replace files that are there already");
  c->callback([o, take] {
    if (!o->merged.empty()) {
      if (!o->format.empty()) throw CLI::ValidationError("--merged", "says the kind of file too");
      o->all.job.merged = true;
      o->format = o->merged;
      if (o->space.empty()) o->space = "rec2020";
      if (o->out.pattern.empty()) o->out.pattern = kMergedPattern;
    }
    if (o->format.empty()) throw CLI::RequiredError("--format");
    if (o->out.pattern.empty()) throw CLI::RequiredError("--name");
    o->out.format = file_formats().named(o->format);
    o->out.space = colour_spaces().named(o->space.empty() ? "srgb" : o->space);
    o->out.chroma = kChromas.named(o->chroma);
    o->out.compression = kCompressions.named(o->compression);
    o->out.location = !o->no_location;
    o->out.pixels = parse_pixels(o->size);
    // What can be said without the shoot.
    if (auto ok = check_pattern(expanded_pattern(o->out.pattern, {}), o->out.first_number); !ok)
      throw CLI::ValidationError("--name", ok.error().message);
    o->all.job.range = parse_range(o->frames);
    o->all.job.part = parse_part(o->part);
    o->all.job.frames = {o->out};
    take(o->all);
  });
}

}  // namespace tsukimi::cli
