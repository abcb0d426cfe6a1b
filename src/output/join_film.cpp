#include "output/join_film.h"

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

AVCodecID id_of(Codec codec) {
  switch (codec) {
    case Codec::h264:
      return AV_CODEC_ID_H264;
    case Codec::h265:
      return AV_CODEC_ID_HEVC;
    case Codec::prores422:
    case Codec::prores422hq:
    case Codec::prores4444:
      return AV_CODEC_ID_PRORES;
    case Codec::av1:
      return AV_CODEC_ID_AV1;
    case Codec::vp9:
      return AV_CODEC_ID_VP9;
    case Codec::ffv1:
      return AV_CODEC_ID_FFV1;
  }
  return AV_CODEC_ID_NONE;
}

// Four letters by which QuickTime and MP4 files tell the codec, where the library's own choice is
// not what players want.
std::uint32_t tag_of(Codec codec, const std::string& extension) {
  const bool apart = extension == ".mov" || extension == ".mp4";
  switch (codec) {
    case Codec::h265:
      return apart ? MKTAG('h', 'v', 'c', '1') : 0;
    case Codec::prores422:
      return apart ? MKTAG('a', 'p', 'c', 'n') : 0;
    case Codec::prores422hq:
      return apart ? MKTAG('a', 'p', 'c', 'h') : 0;
    case Codec::prores4444:
      return apart ? MKTAG('a', 'p', '4', 'h') : 0;
    default:
      return 0;
  }
}

void describe(AVStream& stream, const FilmSettings& f, const FilmFacts& facts,
              const Segment& first) {
  AVCodecParameters& p = *stream.codecpar;
  p.codec_type = AVMEDIA_TYPE_VIDEO;
  p.codec_id = id_of(f.codec);
  p.codec_tag = tag_of(f.codec, f.file.extension().string());
  p.width = facts.size.width;
  p.height = facts.size.height;
  p.profile = first.profile;
  p.level = first.level;
  p.sample_aspect_ratio = stream.sample_aspect_ratio = {1, 1};
  p.field_order = AV_FIELD_PROGRESSIVE;
  const bool rec2020 = f.space == ColourSpace::rec2020;
  av::set_colours(p, rec2020, f.bits == 10);
  p.color_space = rec2020 ? AVCOL_SPC_BT2020_NCL : AVCOL_SPC_BT709;
  p.chroma_location = AVCHROMA_LOC_LEFT;
  p.format = f.bits > 8 ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
  if (!first.headers.empty()) {
    p.extradata =
        static_cast<std::uint8_t*>(av_mallocz(first.headers.size() + AV_INPUT_BUFFER_PADDING_SIZE));
    std::memcpy(p.extradata, first.headers.data(), first.headers.size());
    p.extradata_size = static_cast<int>(first.headers.size());
  }
  stream.time_base = {f.rate.seconds, f.rate.frames};
  stream.avg_frame_rate = stream.r_frame_rate = {f.rate.frames, f.rate.seconds};
}

void add_words(AVFormatContext& c, const FilmFacts& facts) {
  if (facts.time > 0) {
    std::string time = format_time(facts.time) + "0000Z";  // 2031-10-04 18:42:20.000000Z
    time[10] = 'T';
    av_dict_set(&c.metadata, "creation_time", time.c_str(), 0);
  }
  if (!facts.title.empty()) av_dict_set(&c.metadata, "title", facts.title.c_str(), 0);
  if (!facts.copyright.empty()) av_dict_set(&c.metadata, "copyright", facts.copyright.c_str(), 0);
}

int write_segment(AVFormatContext& c, const FilmSettings& f, const Segment& s, std::int64_t begin,
                  AVPacket& packet) {
  const AVStream& stream = *c.streams[0];
  const AVRational frame{f.rate.seconds, f.rate.frames};
  for (const Packet& p : s.packets) {
    av_packet_unref(&packet);
    if (const int code = av_new_packet(&packet, static_cast<int>(p.data.size())); code < 0)
      return code;
    std::memcpy(packet.data, p.data.data(), p.data.size());
    packet.pts = av_rescale_q(begin + p.shown, frame, stream.time_base);
    packet.dts = av_rescale_q(begin + p.decoded, frame, stream.time_base);
    packet.duration = av_rescale_q(1, frame, stream.time_base);
    packet.flags = p.key ? AV_PKT_FLAG_KEY : 0;
    if (const int code = av_write_frame(&c, &packet); code < 0) return code;
  }
  return 0;
}

}  // namespace

Result<void> join_film(const fs::path& file, const FilmSettings& f, const FilmFacts& facts,
                       int segments, const std::function<Result<Segment>(int)>& segment) {
  auto first = segment(0);
  if (!first) return tl::unexpected(first.error());
  Container film;
  const std::string named = f.file.filename().string();
  int code = avformat_alloc_output_context2(&film.c, nullptr, nullptr, named.c_str());
  if (code < 0) return failed(f.file, code);
  av_free(film.c->url);
  film.c->url = av_strdup(file.c_str());  // the muxer reads again what it wrote
  film.c->flags |= AVFMT_FLAG_BITEXACT;
  AVStream* stream = avformat_new_stream(film.c, nullptr);
  if (!stream) return failed(f.file, AVERROR(ENOMEM));
  describe(*stream, f, facts, *first);
  add_words(*film.c, facts);
  if (code = avio_open(&film.c->pb, file.c_str(), AVIO_FLAG_READ_WRITE); code < 0)
    return failed(f.file, code);
  AVDictionary* options = nullptr;
  // The index stands before the pictures: playing begins before all is loaded.
  av_dict_set(&options, "movflags", "+faststart+write_colr", 0);
  const std::string timescale = std::to_string(f.rate.frames * (f.rate.frames < 1000 ? 1000 : 1));
  av_dict_set(&options, "video_track_timescale", timescale.c_str(), 0);
  code = avformat_write_header(film.c, &options);
  av_dict_free(&options);
  if (code < 0) return failed(f.file, code);
  const av::Packet packet(av_packet_alloc());
  std::int64_t begin = 0;
  for (int i = 0; i < segments; ++i) {
    auto s = i == 0 ? std::move(first) : segment(i);
    if (!s) return tl::unexpected(s.error());
    if (code = write_segment(*film.c, f, *s, begin, *packet); code < 0) return failed(f.file, code);
    begin += s->frames;
  }
  if (code = av_write_trailer(film.c); code < 0) return failed(f.file, code);
  if (code = avio_closep(&film.c->pb); code < 0) return failed(f.file, code);
  return {};
}

}  // namespace tsukimi
