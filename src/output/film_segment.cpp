#include "output/film_segment.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/cache.h"
#include "output/av.h"

namespace tsukimi {
namespace {

// The length is a bargain: what is lost when work is cut off against what codecs gain by looking
// far.
constexpr double kSegmentSeconds = 4;

AVPixelFormat pixels_of(const FilmSettings& f) {
  const bool deep = f.bits > 8;
  switch (f.sampling) {
    case Sampling::full:
      return deep ? AV_PIX_FMT_YUV444P10LE : AV_PIX_FMT_YUV444P;
    case Sampling::half_across:
      return deep ? AV_PIX_FMT_YUV422P10LE : AV_PIX_FMT_YUV422P;
    case Sampling::half_both:
      break;
  }
  return deep ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
}

const char* encoder_of(Codec codec) {
  switch (codec) {
    case Codec::h264:
      return "libx264";
    case Codec::h265:
      return "libx265";
    case Codec::prores422:
    case Codec::prores422hq:
    case Codec::prores4444:
      return "prores_ks";
    case Codec::av1:
      return "libaom-av1";  // the faster SVT never comes back when it is closed without a picture
    case Codec::vp9:
      return "libvpx-vp9";
    case Codec::ffv1:
      return "ffv1";
  }
  return "";
}

// The one scale of quality as the encoder has it: at 85 luma is 42 dB from the original or closer.
std::string rate_factor(const FilmSettings& f) {
  const bool long_scale = f.codec == Codec::av1 || f.codec == Codec::vp9;  // 0..63, else 0..51
  const double factor = long_scale ? 63 - 0.55 * f.quality : 51 - 0.46 * f.quality;
  return std::to_string(static_cast<int>(std::lround(factor)));
}

void option(AVCodecContext& c, const char* name, const std::string& value) {
  av_opt_set(c.priv_data, name, value.c_str(), 0);
}

void set_codec(AVCodecContext& c, const FilmSettings& f) {
  const bool by_quality = f.bitrate == 0;
  switch (f.codec) {
    case Codec::h264:
      option(c, "preset", "medium");
      // Its tree of macroblocks reads memory that nobody has written (seen in the library of Debian
      // 12): the same pictures gave other bytes.
      option(c, "x264-params", "open-gop=0:mbtree=0");
      break;
    case Codec::h265:
      option(c, "preset", "fast");
      option(c, "x265-params", "open-gop=0:frame-threads=1:log-level=error:info=0");
      break;
    case Codec::prores422:
      option(c, "profile", "standard");
      break;
    case Codec::prores422hq:
      option(c, "profile", "hq");
      break;
    case Codec::prores4444:
      option(c, "profile", "4444");
      break;
    case Codec::av1:
      option(c, "cpu-used", "6");
      option(c, "row-mt", "1");
      break;
    case Codec::vp9:
      option(c, "deadline", "good");
      option(c, "cpu-used", "4");
      option(c, "row-mt", "1");
      break;
    case Codec::ffv1:
      c.level = 3;
      c.slices = 16;
      c.gop_size = 1;
      option(c, "slicecrc", "1");
      return;
  }
  if (!info(f.codec).has_quality) return;
  if (by_quality)
    option(c, "crf", rate_factor(f));
  else
    c.bit_rate = f.bitrate;
}

}  // namespace

int segment_frames(const FilmSettings& f) {
  return std::max(12,
                  static_cast<int>(std::lround(kSegmentSeconds * f.rate.frames / f.rate.seconds)));
}

struct SegmentEncoder::State {
  av::Context context;
  av::Frame frame;
  av::Packet packet;
  Segment segment;
  std::string label;
};

SegmentEncoder::SegmentEncoder(std::unique_ptr<State> state) : state_(std::move(state)) {}
SegmentEncoder::SegmentEncoder(SegmentEncoder&&) noexcept = default;
SegmentEncoder& SegmentEncoder::operator=(SegmentEncoder&&) noexcept = default;
SegmentEncoder::~SegmentEncoder() = default;

Result<SegmentEncoder> SegmentEncoder::open(const FilmSettings& f, Size size) {
  av_log_set_level(AV_LOG_QUIET);
  const std::string label = info(f.codec).label;
  const AVCodec* codec = avcodec_find_encoder_by_name(encoder_of(f.codec));
  if (!codec)
    return fail(label + " cannot be made here: the system's libavcodec has no encoder " +
                encoder_of(f.codec) + ".");
  auto state = std::make_unique<State>();
  state->label = label;
  state->context.reset(avcodec_alloc_context3(codec));
  state->frame.reset(av_frame_alloc());
  state->packet.reset(av_packet_alloc());
  AVCodecContext& c = *state->context;
  c.width = size.width;
  c.height = size.height;
  c.pix_fmt = pixels_of(f);
  c.time_base = {f.rate.seconds, f.rate.frames};
  c.framerate = {f.rate.frames, f.rate.seconds};
  c.sample_aspect_ratio = {1, 1};
  const bool rec2020 = f.space == ColourSpace::rec2020;
  av::set_colours(c, rec2020, f.bits == 10);
  c.colorspace = rec2020 ? AVCOL_SPC_BT2020_NCL : AVCOL_SPC_BT709;
  c.chroma_sample_location = AVCHROMA_LOC_LEFT;
  c.gop_size = segment_frames(f);
  c.flags |= AV_CODEC_FLAG_GLOBAL_HEADER | AV_CODEC_FLAG_BITEXACT;
  // A number of its own, since some encoders' bytes depend on it.
  constexpr int kThreads = 4;
  c.thread_count = kThreads;
  set_codec(c, f);
  if (const int code = avcodec_open2(&c, codec, nullptr); code < 0)
    return fail(label + " of " + std::to_string(size.width) + "×" + std::to_string(size.height) +
                " cannot be encoded: " + av::words(code) + ".");
  AVFrame& frame = *state->frame;
  frame.format = c.pix_fmt;
  frame.width = c.width;
  frame.height = c.height;
  av::set_colours(frame, rec2020, f.bits == 10);
  frame.colorspace = c.colorspace;
  if (const int code = av_frame_get_buffer(&frame, 0); code < 0)
    return fail("There is not enough memory for a film of that size.");
  if (c.extradata) state->segment.headers.assign(c.extradata, c.extradata + c.extradata_size);
  state->segment.profile = c.profile;
  state->segment.level = c.level;
  return SegmentEncoder(std::move(state));
}

Result<void> SegmentEncoder::add(const YCbCr& picture) {
  AVFrame& frame = *state_->frame;
  if (av_frame_make_writable(&frame) < 0) return fail("There is not enough memory for the film.");
  for (int p = 0; p < 3; ++p) {
    const int w = picture.width_of(p), h = picture.height_of(p);
    const std::uint16_t* from = picture.planes[static_cast<std::size_t>(p)].data();
    for (int y = 0; y < h; ++y, from += w) {
      std::uint8_t* to = frame.data[p] + static_cast<std::ptrdiff_t>(y) * frame.linesize[p];
      if (picture.bits > 8)
        std::memcpy(to, from, static_cast<std::size_t>(w) * 2);
      else
        for (int x = 0; x < w; ++x) to[x] = static_cast<std::uint8_t>(from[x]);
    }
  }
  frame.pts = state_->segment.frames++;
  if (const int code = avcodec_send_frame(state_->context.get(), &frame); code < 0)
    return fail(state_->label + " could not be encoded: " + av::words(code) + ".");
  return take_packets();
}

Result<void> SegmentEncoder::take_packets() {
  AVPacket& p = *state_->packet;
  for (;;) {
    const int code = avcodec_receive_packet(state_->context.get(), &p);
    if (code == AVERROR(EAGAIN) || code == AVERROR_EOF) return {};
    if (code < 0) return fail(state_->label + " could not be encoded: " + av::words(code) + ".");
    // Some tell their headers beside the first packet.
    std::size_t size = 0;
    if (const auto* headers = av_packet_get_side_data(&p, AV_PKT_DATA_NEW_EXTRADATA, &size);
        headers && state_->segment.headers.empty())
      state_->segment.headers.assign(headers, headers + size);
    state_->segment.packets.push_back(
        {p.pts, p.dts, (p.flags & AV_PKT_FLAG_KEY) != 0, {p.data, p.data + p.size}});
    av_packet_unref(&p);
  }
}

Result<Segment> SegmentEncoder::finish() {
  if (const int code = avcodec_send_frame(state_->context.get(), nullptr); code < 0)
    return fail(state_->label + " could not be encoded: " + av::words(code) + ".");
  if (auto ok = take_packets(); !ok) return tl::unexpected(ok.error());
  const AVCodecContext& c = *state_->context;
  // Some know their headers only now.
  if (state_->segment.headers.empty() && c.extradata)
    state_->segment.headers.assign(c.extradata, c.extradata + c.extradata_size);
  return std::move(state_->segment);
}

namespace {

constexpr char kMagic[8] = {'T', 'K', 'S', 'E', 'G', 'M', '0', '1'};

void put(std::vector<std::uint8_t>& out, std::int64_t v) {
  for (int i = 0; i < 8; ++i) out.push_back(static_cast<std::uint8_t>(v >> (8 * i)));
}
void put(std::vector<std::uint8_t>& out, const std::vector<std::uint8_t>& bytes) {
  put(out, static_cast<std::int64_t>(bytes.size()));
  out.insert(out.end(), bytes.begin(), bytes.end());
}

struct Reader {
  std::span<const std::uint8_t> bytes;
  bool good = true;
  std::int64_t number() {
    std::uint64_t v = 0;
    if (bytes.size() < 8) return good = false, 0;
    for (std::size_t i = 0; i < 8; ++i) v |= static_cast<std::uint64_t>(bytes[i]) << (8 * i);
    bytes = bytes.subspan(8);
    return static_cast<std::int64_t>(v);
  }
  std::vector<std::uint8_t> data() {
    const auto n = static_cast<std::uint64_t>(number());
    if (!good || n > bytes.size()) return good = false, std::vector<std::uint8_t>();
    std::vector<std::uint8_t> out(bytes.begin(), bytes.begin() + static_cast<std::ptrdiff_t>(n));
    bytes = bytes.subspan(n);
    return out;
  }
};

}  // namespace

std::vector<std::uint8_t> bytes_of(const Segment& s) {
  std::vector<std::uint8_t> out(std::begin(kMagic), std::end(kMagic));
  for (std::int64_t v : {s.frames, s.profile, s.level}) put(out, v);
  put(out, s.headers);
  put(out, static_cast<std::int64_t>(s.packets.size()));
  for (const Packet& p : s.packets) {
    put(out, p.shown);
    put(out, p.decoded);
    put(out, p.key ? 1 : 0);
    put(out, p.data);
  }
  put(out, static_cast<std::int64_t>(checksum(out)));
  return out;
}

Result<Segment> segment_of(std::span<const std::uint8_t> bytes) {
  const auto damaged = [] { return fail("A part of the film is damaged."); };
  constexpr std::size_t kSum = 8;
  if (bytes.size() < sizeof kMagic + kSum || std::memcmp(bytes.data(), kMagic, sizeof kMagic) != 0)
    return damaged();
  const auto body = bytes.first(bytes.size() - kSum);
  if (Reader end{bytes.last(kSum)}; static_cast<std::uint64_t>(end.number()) != checksum(body))
    return damaged();
  Reader in{body.subspan(sizeof kMagic)};
  Segment s;
  s.frames = static_cast<int>(in.number());
  s.profile = static_cast<int>(in.number());
  s.level = static_cast<int>(in.number());
  s.headers = in.data();
  for (std::int64_t n = in.number(); n > 0 && in.good; --n) {
    Packet p;
    p.shown = in.number();
    p.decoded = in.number();
    p.key = in.number() != 0;
    p.data = in.data();
    s.packets.push_back(std::move(p));
  }
  if (!in.good) return damaged();
  return s;
}

}  // namespace tsukimi
