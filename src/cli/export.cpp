#include <iostream>

#include "cli/commands.h"
#include "cli/parse.h"
#include "document/shoot_file.h"
#include "output/export_frames.h"
#include "output/name_pattern.h"

namespace tsukimi::cli {
namespace {

struct ExportOptions {
  std::string file, size, frames, format, space, chroma = "444", compression = "none";
  ExportSettings out;
  bool overwrite = false, no_location = false;
};

// The words of a table, and which of them it is.
template <typename Enum, int kCount>
std::vector<std::string> words_of_table() {
  std::vector<std::string> out;
  for (int i = 0; i < kCount; ++i) out.emplace_back(info(static_cast<Enum>(i)).name);
  return out;
}
std::vector<std::string> formats() { return words_of_table<FileFormat, kFileFormats>(); }
std::vector<std::string> spaces() { return words_of_table<ColourSpace, kColourSpaces>(); }
const std::vector<std::string> kCompressionWords{"none", "lzw", "deflate"};

template <typename Enum>
Enum choice(const std::vector<std::string>& words, const std::string& word) {
  return static_cast<Enum>(std::ranges::find(words, word) - words.begin());
}

// WxH or long:N.
void parse_output_size(const std::string& text, ExportSettings& out) {
  constexpr std::string_view kLong = "long:";
  if (!text.starts_with(kLong)) {
    const auto s = parse_size(text);
    out.size = {s.width, s.height};
    return;
  }
  constexpr int kMost = 65000;
  if (!parse_number(std::string_view(text).substr(kLong.size()), out.long_edge) ||
      out.long_edge < 2 || out.long_edge > kMost)
    throw CLI::ValidationError("--size", "\"" + text + "\" is not WxH or long:N, as in long:1920");
}

Result<void> run_export(const ExportOptions& o, ExportRange range) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  shoot->decisions.output = o.out;
  for (const auto& note : {shape_note(*shoot), enlarged_note(*shoot)})
    if (!note.empty()) std::cerr << "tsukimi-batch: " << note << "\n";
  const auto report = export_shoot(*shoot, {}, range, o.overwrite, [](const char* step) {
    return Work{terminal_progress(step), cancel_flag()};
  });
  if (!report) return tl::unexpected(report.error());
  for (const auto& f : shoot->sequence.frames)
    if (!f.usable())
      std::cerr << "tsukimi-batch: " << printable(f.file) << " " << printable(f.problem)
                << "; it is left out.\n";
  std::cout << report->written << " frames written";
  if (report->kept) std::cout << ", " << report->kept << " were there already";
  std::cout << "\n";
  if (report->cancelled) return fail("Cancelled; export again to go on from there.");
  if (report->problems.empty()) return {};
  std::string all;
  for (const auto& p : report->problems) all += (all.empty() ? "" : " ") + p;
  return fail(all);
}

}  // namespace

void add_export(CLI::App& app, Run& run) {
  auto* c = app.add_subcommand("export", "Develop all frames at full quality into numbered files.");
  auto o = std::make_shared<ExportOptions>();
  c->add_option("FILE", o->file, "The shoot (.tsukimi)")->required();
  c->add_option("--to", o->out.folder, "Folder for the frames; made if missing")->required();
  c->add_option(
       "--name", o->out.pattern,
       "Name with # for the digits of the number, as in harbour_#####; {shoot}, {date} and "
       "{time} are filled in")
      ->required();
  c->add_option("--format", o->format, "Kind of file")->required()->check(CLI::IsMember(formats()));
  c->add_option("--space", o->space, "Colour space")
      ->default_val("srgb")
      ->check(CLI::IsMember(spaces()));
  c->add_option("--quality", o->out.quality, "JPEG quality")->check(CLI::Range(1, 100));
  c->add_option("--chroma", o->chroma, "JPEG: colour in every pixel, or in one of four")
      ->check(CLI::IsMember({"444", "420"}));
  c->add_option("--compression", o->compression, "TIFF: all without loss")
      ->check(CLI::IsMember(kCompressionWords));
  c->add_option("--size", o->size,
                "Exact size in pixels, WxH, or long:N for the longer edge; else all pixels of the "
                "crop");
  c->add_option("--frames", o->frames, "Only frames A-B of the film, from 0");
  c->add_option("--first-number", o->out.first_number, "Number of the film's first frame")
      ->check(CLI::Range(0, 999999));
  c->add_option("--copyright", o->out.copyright, "Goes into every file");
  c->add_flag("--no-location", o->no_location, "Do not tell where the camera stood");
  c->add_flag("--xmp", o->out.sidecars, "An XMP file beside each frame");
  c->add_flag("--overwrite", o->overwrite, "Replace files that are there already");
  c->callback([o, &run] {
    const ExportRange range = parse_range(o->frames);
    o->out.format = choice<FileFormat>(formats(), o->format);
    o->out.space = choice<ColourSpace>(spaces(), o->space);
    o->out.chroma = o->chroma == "420" ? Chroma::half : Chroma::full;
    o->out.compression = choice<Compression>(kCompressionWords, o->compression);
    o->out.location = !o->no_location;
    if (!o->size.empty()) parse_output_size(o->size, o->out);
    // What can be said without the shoot.
    if (auto ok = check_pattern(expanded_pattern(o->out.pattern, {}), o->out.first_number); !ok)
      throw CLI::ValidationError("--name", ok.error().message);
    run = [=] { return run_export(*o, range); };
  });
}

}  // namespace tsukimi::cli
