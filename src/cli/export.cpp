#include <charconv>
#include <iostream>

#include "cli/commands.h"
#include "document/shoot_file.h"
#include "output/export_frames.h"
#include "output/name_pattern.h"

namespace tsukimi::cli {
namespace {

struct ExportOptions {
  std::string file, to, pattern, format, size, frames;
  int quality = 92;
  bool overwrite = false;
};

ExportRange parse_range(const std::string& text) {
  ExportRange r;
  if (text.empty()) return r;
  const char* end = text.data() + text.size();
  const auto a = std::from_chars(text.data(), end, r.first);
  const bool dash = a.ec == std::errc() && a.ptr != end && *a.ptr == '-';
  const auto b = dash ? std::from_chars(a.ptr + 1, end, r.last) : a;
  if (!dash || b.ec != std::errc() || b.ptr != end || r.first < 0 || r.last < r.first)
    throw CLI::ValidationError("--frames", "\"" + text + "\" is not a range such as 0-99");
  return r;
}

Result<void> run_export(const ExportOptions& o, ExportRange range, Size size) {
  auto shoot = open_shoot(o.file);
  if (!shoot) return tl::unexpected(shoot.error());
  auto& out = shoot->decisions.output;
  out = {o.to, o.pattern, o.format == "jpeg" ? FileFormat::jpeg : FileFormat::tiff16, o.quality,
         size};
  if (const auto note = shape_note(*shoot); !note.empty())
    std::cerr << "tsukimi-batch: " << note << "\n";
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
  c->add_option("--to", o->to, "Folder for the frames; made if missing")->required();
  c->add_option("--name", o->pattern,
                "Name with # for the digits of the number, as in harbour_#####")
      ->required();
  c->add_option("--format", o->format, "tiff16 or jpeg")
      ->required()
      ->check(CLI::IsMember({"tiff16", "jpeg"}));
  c->add_option("--quality", o->quality, "JPEG quality")->check(CLI::Range(1, 100));
  c->add_option("--size", o->size, "Exact size in pixels, WxH; else all pixels of the crop");
  c->add_option("--frames", o->frames, "Only frames A-B of the film, from 0");
  c->add_flag("--overwrite", o->overwrite, "Replace files that are there already");
  c->callback([o, &run] {
    const ExportRange range = parse_range(o->frames);
    Size size;
    if (!o->size.empty()) {
      const auto s = parse_size(o->size);
      size = {s.width, s.height};
    }
    if (auto ok = check_pattern(o->pattern, 1); !ok)
      throw CLI::ValidationError("--name", ok.error().message);
    run = [=] { return run_export(*o, range, size); };
  });
}

}  // namespace tsukimi::cli
