#include "output/join_gif.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

#include <cstring>

#include "develop/display.h"
#include "output/av.h"

namespace tsukimi {
namespace {

struct FreeGraph {
  void operator()(AVFilterGraph* g) const { avfilter_graph_free(&g); }
};

// A chain of the library's filters: pictures go in at one end and come out at the other.
class Filters {
 public:
  // inputs: of these sizes, in the order in which the chain takes them.
  int open(const std::vector<Size>& inputs, const std::string& chain, Rate rate) {
    graph_.reset(avfilter_graph_alloc());
    graph_->nb_threads = 1;
    std::string text;
    for (std::size_t i = 0; i < inputs.size(); ++i) {
      char source[200];
      std::snprintf(source, sizeof source,
                    "buffer@in%zu=width=%d:height=%d:pix_fmt=%d:time_base=%d/%d:sar=1/1[in%zu];", i,
                    inputs[i].width, inputs[i].height, AV_PIX_FMT_RGB32, rate.seconds, rate.frames,
                    i);
      text += source;
    }
    for (std::size_t i = 0; i < inputs.size(); ++i) text += "[in" + std::to_string(i) + "]";
    text += chain + "[out];[out]buffersink@out";
    AVFilterInOut *ins = nullptr, *outs = nullptr;
    int code = avfilter_graph_parse2(graph_.get(), text.c_str(), &ins, &outs);
    avfilter_inout_free(&ins);
    avfilter_inout_free(&outs);
    if (code >= 0) code = avfilter_graph_config(graph_.get(), nullptr);
    for (unsigned k = 0; k < graph_->nb_filters; ++k) {
      AVFilterContext* f = graph_->filters[k];
      if (std::strcmp(f->filter->name, "buffer") == 0) sources_.push_back(f);
      if (std::strcmp(f->filter->name, "buffersink") == 0) sink_ = f;
    }
    return code;
  }
  int put(std::size_t input, AVFrame* frame) {  // nothing: the end
    return av_buffersrc_add_frame_flags(sources_[input], frame, AV_BUFFERSRC_FLAG_KEEP_REF);
  }
  int get(AVFrame* frame) { return av_buffersink_get_frame(sink_, frame); }

 private:
  std::unique_ptr<AVFilterGraph, FreeGraph> graph_;
  std::vector<AVFilterContext*> sources_;
  AVFilterContext* sink_ = nullptr;
};

// The pictures of the segments, one after the other.
class Pictures {
 public:
  Pictures(const FilmParts& parts, Size size) : parts_(parts), size_(size) {}

  // use(picture, place in the film): 0 or the library's code.
  template <typename Use>
  Result<int> each(const Work& work, int done, const Use& use) {
    std::int64_t place = 0;
    for (int i = 0; i < parts_.segments; ++i) {
      if (work.stop()) return fail("Cancelled.");
      work.report(done + i, 2 * parts_.segments);
      const auto segment = parts_.segment(i);
      if (!segment) return tl::unexpected(segment.error());
      if (const int code = decode(*segment, place, use); code < 0) return code;
    }
    return 0;
  }

 private:
  template <typename Use>
  int decode(const Segment& segment, std::int64_t& place, const Use& use) {
    const AVCodec* codec = avcodec_find_decoder(AV_CODEC_ID_FFV1);
    const av::Context c(avcodec_alloc_context3(codec));
    const auto& headers = segment.headers;
    c->extradata =
        static_cast<std::uint8_t*>(av_mallocz(headers.size() + AV_INPUT_BUFFER_PADDING_SIZE));
    if (!headers.empty()) std::memcpy(c->extradata, headers.data(), headers.size());
    c->extradata_size = static_cast<int>(headers.size());
    c->width = size_.width;
    c->height = size_.height;
    c->thread_count = 1;
    int code = avcodec_open2(c.get(), codec, nullptr);
    const av::Packet packet(av_packet_alloc());
    const av::Frame planes(av_frame_alloc());
    for (const Packet& p : segment.packets) {
      if (code < 0) return code;
      if (code = av_new_packet(packet.get(), static_cast<int>(p.data.size())); code < 0)
        return code;
      std::memcpy(packet->data, p.data.data(), p.data.size());
      code = avcodec_send_packet(c.get(), packet.get());
      av_packet_unref(packet.get());
      if (code < 0 || (code = avcodec_receive_frame(c.get(), planes.get())) < 0) return code;
      const av::Frame picture = packed(*planes);
      if (!picture) return AVERROR(ENOMEM);
      picture->pts = place;
      code = use(picture.get(), place++);
    }
    return code;
  }

  static av::Frame packed(const AVFrame& planes) {
    av::Frame out(av_frame_alloc());
    out->format = AV_PIX_FMT_RGB32;
    out->width = planes.width;
    out->height = planes.height;
    out->sample_aspect_ratio = {1, 1};
    if (av_frame_get_buffer(out.get(), 0) < 0) return {};
    for (int y = 0; y < planes.height; ++y) {
      const std::uint8_t* from[3];
      for (int p = 0; p < 3; ++p) from[p] = planes.data[p] + std::ptrdiff_t{y} * planes.linesize[p];
      auto* to = out->data[0] + std::ptrdiff_t{y} * out->linesize[0];
      for (int x = 0; x < planes.width; ++x, to += 4) {
        const std::uint32_t pixel = 0xFF000000u | std::uint32_t{from[2][x]} << 16 |
                                    std::uint32_t{from[0][x]} << 8 | from[1][x];
        std::memcpy(to, &pixel, 4);
      }
    }
    return out;
  }

  const FilmParts& parts_;
  const Size size_;
};

struct Output {
  AVFormatContext* c = nullptr;
  av::Context encoder;
  av::Packet packet{av_packet_alloc()};
  ~Output() {
    if (!c) return;
    if (c->pb) avio_closep(&c->pb);
    avformat_free_context(c);
  }

  // last: how long the last frame is seen, in hundredths of a second.
  int open(const std::filesystem::path& file, const FilmFacts& facts, std::int64_t last) {
    int code = avformat_alloc_output_context2(&c, nullptr, "gif", nullptr);
    if (code < 0) return code;
    c->flags |= AVFMT_FLAG_BITEXACT;
    const AVCodec* codec = avcodec_find_encoder(AV_CODEC_ID_GIF);
    if (!codec) return AVERROR_ENCODER_NOT_FOUND;
    encoder.reset(avcodec_alloc_context3(codec));
    encoder->width = facts.size.width;
    encoder->height = facts.size.height;
    encoder->pix_fmt = AV_PIX_FMT_PAL8;
    encoder->time_base = {1, 100};
    encoder->thread_count = 1;
    encoder->flags |= AV_CODEC_FLAG_BITEXACT;
    if (code = avcodec_open2(encoder.get(), codec, nullptr); code < 0) return code;
    AVStream* s = avformat_new_stream(c, nullptr);
    if (!s) return AVERROR(ENOMEM);
    s->time_base = encoder->time_base;
    avcodec_parameters_from_context(s->codecpar, encoder.get());
    if (code = avio_open(&c->pb, file.c_str(), AVIO_FLAG_WRITE); code < 0) return code;
    AVDictionary* options = nullptr;
    av_dict_set_int(&options, "final_delay", last, 0);
    code = avformat_write_header(c, &options);
    av_dict_free(&options);
    return code;
  }
  int put(const AVFrame* frame) {
    int code = avcodec_send_frame(encoder.get(), frame);
    while (code >= 0 && (code = avcodec_receive_packet(encoder.get(), packet.get())) >= 0)
      code = av_write_frame(c, packet.get());
    return code == AVERROR(EAGAIN) || code == AVERROR_EOF ? 0 : code;
  }
};

}  // namespace

YCbCr gif_planes(const Image& rec2020) {
  const Encoded8 rgb = to_srgb8(rec2020);
  YCbCr out{rgb.width, rgb.height, 8, Sampling::full, {}};
  constexpr std::size_t kChannel[3] = {1, 2, 0};
  for (std::size_t p = 0; p < 3; ++p) {
    auto& plane = out.planes[p];
    plane.resize(rgb.data.size() / 3);
    for (std::size_t i = 0; i < plane.size(); ++i) plane[i] = rgb.data[3 * i + kChannel[p]];
  }
  return out;
}

Result<void> join_gif(const std::filesystem::path& file, const FilmFacts& facts,
                      const FilmParts& parts, const Work& work) {
  av_log_set_level(AV_LOG_QUIET);
  auto failed = [&](int code) {
    return fail(file.string() + " could not be written: " + av::words(code) + ".");
  };
  Pictures pictures(parts, facts.size);
  const Rate rate = facts.rate;
  const auto hundredths = [&](std::int64_t place) {
    return av_rescale_q(place, {rate.seconds, rate.frames}, {1, 100});
  };
  std::int64_t frames = 0;
  const av::Frame palette(av_frame_alloc()), frame(av_frame_alloc());
  {
    Filters colours;
    if (const int code = colours.open({facts.size}, "palettegen=stats_mode=full", rate); code < 0)
      return failed(code);
    const auto seen = pictures.each(work, 0, [&](AVFrame* f, std::int64_t place) {
      frames = place + 1;
      return colours.put(0, f);
    });
    if (!seen) return tl::unexpected(seen.error());
    int code = *seen < 0 ? *seen : colours.put(0, nullptr);
    if (code >= 0) code = colours.get(palette.get());
    if (code < 0) return failed(code);
  }
  Filters mapped;
  Output out;
  int code = mapped.open({facts.size, {palette->width, palette->height}},
                         "paletteuse=dither=bayer:bayer_scale=3:diff_mode=rectangle", rate);
  if (code >= 0) code = out.open(file, facts, hundredths(frames) - hundredths(frames - 1));
  palette->pts = 0;
  if (code >= 0) code = mapped.put(1, palette.get());
  if (code >= 0) code = mapped.put(1, nullptr);
  if (code < 0) return failed(code);
  auto write_ready = [&] {
    int got;
    while ((got = mapped.get(frame.get())) >= 0) {
      frame->pts = hundredths(frame->pts);
      const int put = out.put(frame.get());
      av_frame_unref(frame.get());
      if (put < 0) return put;
    }
    return got == AVERROR(EAGAIN) || got == AVERROR_EOF ? 0 : got;
  };
  const auto seen = pictures.each(work, parts.segments, [&](AVFrame* f, std::int64_t) {
    const int put = mapped.put(0, f);
    return put < 0 ? put : write_ready();
  });
  if (!seen) return tl::unexpected(seen.error());
  code = *seen;
  if (code >= 0) code = mapped.put(0, nullptr);
  if (code >= 0) code = write_ready();
  if (code >= 0) code = out.put(nullptr);
  if (code >= 0) code = av_write_trailer(out.c);
  if (code >= 0) code = avio_closep(&out.c->pb);
  if (code < 0) return failed(code);
  return {};
}

}  // namespace tsukimi
