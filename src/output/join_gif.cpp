// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/join_gif.h"

#include <array>
#include <cstring>

#include "base/parallel.h"
#include "develop/display.h"
#include "output/av.h"
#include "output/gif_colours.h"

namespace tsukimi {
namespace {

// The pictures of the segments, one after the other.
class Pictures {
 public:
  Pictures(const FilmParts& parts, Size size) : parts_(parts), size_(size) {}

  // use(pixels, place in the film): 0 or the library's code.
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
      pack(*planes);
      code = use(pixels_, place++);
    }
    return code;
  }

  void pack(const AVFrame& planes) {
    pixels_.resize(static_cast<std::size_t>(size_.width) * static_cast<std::size_t>(size_.height));
    std::size_t next = 0;
    for (int y = 0; y < size_.height; ++y) {
      const std::uint8_t* from[3];
      for (int p = 0; p < 3; ++p) from[p] = planes.data[p] + std::ptrdiff_t{y} * planes.linesize[p];
      for (int x = 0; x < size_.width; ++x)
        pixels_[next++] = GifPixel{from[2][x]} << 16 | GifPixel{from[0][x]} << 8 | from[1][x];
    }
  }

  const FilmParts& parts_;
  const Size size_;
  std::vector<GifPixel> pixels_;
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

av::Frame in_colours(const GifColours& colours, const std::vector<GifPixel>& pixels, Size size) {
  av::Frame out(av_frame_alloc());
  out->format = AV_PIX_FMT_PAL8;
  out->width = size.width;
  out->height = size.height;
  out->sample_aspect_ratio = {1, 1};
  if (av_frame_get_buffer(out.get(), 0) < 0) return {};
  // The colour that is left says that nothing has changed there.
  std::array<std::uint32_t, 256> table{};
  constexpr std::uint32_t kOpaque = 0xFF000000u;
  for (std::size_t i = 0; i < GifColours::kColours; ++i)
    table[i] = kOpaque | (i < colours.palette().size() ? colours.palette()[i] : 0);
  std::memcpy(out->data[1], table.data(), sizeof table);
  parallel_rows(size.height, [&](int y0, int y1) {
    for (int y = y0; y < y1; ++y)
      colours.draw(pixels.data() + std::ptrdiff_t{y} * size.width, size.width, y,
                   out->data[0] + std::ptrdiff_t{y} * out->linesize[0]);
  });
  return out;
}

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
  GifColours colours;
  const auto seen =
      pictures.each(work, 0, [&](const std::vector<GifPixel>& pixels, std::int64_t place) {
        frames = place + 1;
        colours.see(pixels.data(), pixels.size());
        return 0;
      });
  if (!seen) return tl::unexpected(seen.error());
  if (*seen < 0) return failed(*seen);
  colours.choose();
  Output out;
  int code = out.open(file, facts, hundredths(frames) - hundredths(frames - 1));
  if (code < 0) return failed(code);
  const auto drawn = pictures.each(
      work, parts.segments, [&](const std::vector<GifPixel>& pixels, std::int64_t place) {
        const av::Frame frame = in_colours(colours, pixels, facts.size);
        if (!frame) return AVERROR(ENOMEM);
        frame->pts = hundredths(place);
        return out.put(frame.get());
      });
  if (!drawn) return tl::unexpected(drawn.error());
  code = *drawn;
  if (code >= 0) code = out.put(nullptr);
  if (code >= 0) code = av_write_trailer(out.c);
  if (code >= 0) code = avio_closep(&out.c->pb);
  if (code < 0) return failed(code);
  return {};
}

}  // namespace tsukimi
