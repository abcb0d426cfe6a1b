// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/join_film.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "camera/frame_info.h"
#include "output/av.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

struct Container {
  AVFormatContext* c = nullptr;
  ~Container() {
    if (!c) return;
    if (c->pb) avio_closep(&c->pb);
    avformat_free_context(c);
  }
};

Result<void> failed(const fs::path& file, int code) {
  return fail(file.string() + " could not be written: " + av::words(code) + ".");
}

void describe(AVStream& stream, const FilmSettings& f, const FilmFacts& facts,
              const Segment& first) {
  AVCodecParameters& p = *stream.codecpar;
  p.codec_type = AVMEDIA_TYPE_VIDEO;
  const av::Encoder& encoder = av::encoder_of(f.codec);
  const bool has_tag = f.container == ".mov" || f.container == ".mp4";
  p.codec_id = encoder.stream;
  p.codec_tag = has_tag ? encoder.tag : 0;
  p.width = facts.size.width;
  p.height = facts.size.height;
  p.profile = first.profile;
  p.level = first.level;
  p.sample_aspect_ratio = stream.sample_aspect_ratio = {1, 1};
  p.field_order = AV_FIELD_PROGRESSIVE;
  av::set_colours(p, p.color_space, p.chroma_location, f);
  p.format = av::pixels_of(f);
  if (!first.headers.empty()) {
    p.extradata =
        static_cast<std::uint8_t*>(av_mallocz(first.headers.size() + AV_INPUT_BUFFER_PADDING_SIZE));
    std::memcpy(p.extradata, first.headers.data(), first.headers.size());
    p.extradata_size = static_cast<int>(first.headers.size());
  }
  stream.time_base = {facts.rate.seconds, facts.rate.frames};
  stream.avg_frame_rate = stream.r_frame_rate = {facts.rate.frames, facts.rate.seconds};
}

// The screen that a film of wide light is made for, one that shows its brightest pixel, and how
// bright its frames are: SMPTE ST 2086 and CTA-861.3.
int add_light(AVStream& stream, const LightLevels& levels) {
  const ColourSpaceInfo& space = info(ColourSpace::rec2020);
  constexpr int kPlaces = 50000, kLightSteps = 10000;
  const auto place = [](double v) {
    return AVRational{static_cast<int>(std::lround(v * kPlaces)), kPlaces};
  };
  const auto light = [](double v) {
    return AVRational{static_cast<int>(std::lround(v * kLightSteps)), kLightSteps};
  };
  std::size_t size = 0;
  AVContentLightMetadata* content = av_content_light_metadata_alloc(&size);
  AVMasteringDisplayMetadata* screen = av_mastering_display_metadata_alloc();
  if (!content || !screen) {
    av_free(content);
    av_free(screen);
    return AVERROR(ENOMEM);
  }
  content->MaxCLL = static_cast<unsigned>(std::lround(std::ceil(levels.most)));
  content->MaxFALL = static_cast<unsigned>(std::lround(std::ceil(levels.mean)));
  const Chromaticity points[] = {space.red, space.green, space.blue};
  for (int c = 0; c < 3; ++c) {
    screen->display_primaries[c][0] = place(points[c].x);
    screen->display_primaries[c][1] = place(points[c].y);
  }
  screen->white_point[0] = place(space.white.x);
  screen->white_point[1] = place(space.white.y);
  constexpr double kDarkest = 0.0001;
  screen->min_luminance = light(kDarkest);
  screen->max_luminance = light(std::max(std::ceil(levels.most), std::ceil(kWhiteLight)));
  screen->has_primaries = screen->has_luminance = 1;
  int code = av_stream_add_side_data(&stream, AV_PKT_DATA_CONTENT_LIGHT_LEVEL,
                                     reinterpret_cast<std::uint8_t*>(content), size);
  if (code < 0) av_free(content);
  const int second =
      av_stream_add_side_data(&stream, AV_PKT_DATA_MASTERING_DISPLAY_METADATA,
                              reinterpret_cast<std::uint8_t*>(screen), sizeof *screen);
  if (second < 0) av_free(screen);
  return std::min(code, second);
}

// Over the whole film, before its head is written.
Result<LightLevels> levels_of(const FilmParts& parts, const Work& work) {
  LightLevels out;
  for (int i = 0; i < parts.segments && !work.stop(); ++i) {
    const auto s = parts.segment(i);
    if (!s) return tl::unexpected(s.error());
    out = {std::max(out.most, s->levels.most), std::max(out.mean, s->levels.mean)};
  }
  return out;
}

void add_words(AVFormatContext& c, const FilmFacts& facts) {
  if (facts.time > 0) {
    // Files have it in UTC. A clock whose zone is not known is taken to show that.
    std::string time = format_time(facts.time - zone_seconds(facts.zone).value_or(0)) + "0000Z";
    time[10] = 'T';  // 2031-10-04T18:42:20.000000Z
    av_dict_set(&c.metadata, "creation_time", time.c_str(), 0);
  }
  if (!facts.artist.empty()) av_dict_set(&c.metadata, "artist", facts.artist.c_str(), 0);
  if (!facts.title.empty()) av_dict_set(&c.metadata, "title", facts.title.c_str(), 0);
  if (!facts.copyright.empty()) av_dict_set(&c.metadata, "copyright", facts.copyright.c_str(), 0);
}

int write_segment(AVFormatContext& c, Rate rate, const Segment& s, std::int64_t begin,
                  AVPacket& packet) {
  const AVStream& stream = *c.streams[0];
  const AVRational frame{rate.seconds, rate.frames};
  for (const Packet& p : s.packets) {
    av_packet_unref(&packet);
    if (const int code = av_new_packet(&packet, static_cast<int>(p.data.size())); code < 0)
      return code;
    std::memcpy(packet.data, p.data.data(), p.data.size());
    packet.pts = av_rescale_q(begin + p.shown, frame, stream.time_base);
    packet.dts = av_rescale_q(begin + p.decoded, frame, stream.time_base);
    packet.duration = av_rescale_q(1, frame, stream.time_base);
    packet.flags = p.key ? AV_PKT_FLAG_KEY : 0;
    if (const int code = av_interleaved_write_frame(&c, &packet); code < 0) return code;
  }
  return 0;
}

}  // namespace

Result<void> join_film(const fs::path& file, const FilmSettings& f, const FilmFacts& facts,
                       const FilmParts& parts, const Work& work) {
  auto first = parts.segment(0);
  if (!first) return tl::unexpected(first.error());
  Container film;
  const std::string named = "film" + f.container;
  int code = avformat_alloc_output_context2(&film.c, nullptr, nullptr, named.c_str());
  if (code < 0) return failed(f.file, code);
  av_free(film.c->url);
  film.c->url = av_strdup(file.c_str());  // the muxer reads again what it wrote
  film.c->flags |= AVFMT_FLAG_BITEXACT;
  AVStream* stream = avformat_new_stream(film.c, nullptr);
  if (!stream) return failed(f.file, AVERROR(ENOMEM));
  describe(*stream, f, facts, *first);
  if (f.light != FilmLight::standard) {
    const auto levels = levels_of(parts, work);
    if (!levels) return tl::unexpected(levels.error());
    if (code = add_light(*stream, *levels); code < 0) return failed(f.file, code);
  }
  AVStream* const sound = parts.sound ? parts.sound->add_stream(*film.c) : nullptr;
  add_words(*film.c, facts);
  if (code = avio_open(&film.c->pb, file.c_str(), AVIO_FLAG_READ_WRITE); code < 0)
    return failed(f.file, code);
  AVDictionary* options = nullptr;
  // The index stands before the pictures: playing begins before all is loaded.
  av_dict_set(&options, "movflags", "+faststart+write_colr", 0);
  const Rate rate = facts.rate;
  const std::string timescale = std::to_string(rate.frames * (rate.frames < 1000 ? 1000 : 1));
  av_dict_set(&options, "video_track_timescale", timescale.c_str(), 0);
  code = avformat_write_header(film.c, &options);
  av_dict_free(&options);
  if (code < 0) return failed(f.file, code);
  const av::Packet packet(av_packet_alloc());
  std::int64_t begin = 0;
  for (int i = 0; i < parts.segments; ++i) {
    if (work.stop()) return fail("Cancelled.");
    work.report(i, parts.segments);
    auto s = i == 0 ? std::move(first) : parts.segment(i);
    if (!s) return tl::unexpected(s.error());
    if (code = write_segment(*film.c, rate, *s, begin, *packet); code < 0)
      return failed(f.file, code);
    begin += s->frames;
    if (sound)
      code = parts.sound->write_until(*film.c, *sound,
                                      static_cast<double>(begin) * rate.seconds / rate.frames);
    if (code < 0) return failed(f.file, code);
  }
  if (code = av_write_trailer(film.c); code < 0) return failed(f.file, code);
  if (code = avio_closep(&film.c->pb); code < 0) return failed(f.file, code);
  return {};
}

}  // namespace tsukimi
