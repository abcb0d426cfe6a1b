// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/film_segment.h"

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/cache.h"
#include "output/av.h"

namespace tsukimi {
namespace {

// Seconds of film in a segment. Longer ones compress better, since codecs look for what repeats
// over many frames; shorter ones lose less work when an export is cut off.
constexpr double kSegmentSeconds = 4;
// Codecs that encode each frame alone gain nothing from long segments, and their files are large.
constexpr int kLeastFrames = 4;

}  // namespace

int segment_frames(const FilmSettings& f, Rate rate) {
  if (info(f.codec).each_frame_alone) return kLeastFrames;
  return std::max(kLeastFrames,
                  static_cast<int>(std::lround(kSegmentSeconds * rate.frames / rate.seconds)));
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

Result<SegmentEncoder> SegmentEncoder::open(const FilmSettings& f, Rate rate, Size size) {
  av_log_set_level(AV_LOG_QUIET);
  const std::string label = info(f.codec).label;
  const av::Encoder& encoder = av::encoder_of(f.codec);
  const AVCodec* codec = avcodec_find_encoder_by_name(encoder.name);
  if (!codec)
    return fail(label + " cannot be made here: the system's libavcodec has no encoder " +
                std::string(encoder.name) + ".");
  // Below that encoders fail, some with a word on the terminal, some at the first picture.
  constexpr int kSmallestSide = 16;
  if (std::min(size.width, size.height) < kSmallestSide)
    return fail(label + " of " + std::to_string(size.width) + "×" + std::to_string(size.height) +
                " pixels cannot be made: a film has at least 16 on each side.");
  auto state = std::make_unique<State>();
  state->label = label;
  state->context.reset(avcodec_alloc_context3(codec));
  state->frame.reset(av_frame_alloc());
  state->packet.reset(av_packet_alloc());
  AVCodecContext& c = *state->context;
  c.width = size.width;
  c.height = size.height;
  c.pix_fmt = av::pixels_of(f);
  c.time_base = {rate.seconds, rate.frames};
  c.framerate = {rate.frames, rate.seconds};
  c.sample_aspect_ratio = {1, 1};
  av::set_colours(c, c.colorspace, c.chroma_sample_location, f);
  c.gop_size = segment_frames(f, rate);
  c.flags |= AV_CODEC_FLAG_GLOBAL_HEADER | AV_CODEC_FLAG_BITEXACT;
  // A number of its own, since some encoders' bytes depend on it.
  constexpr int kThreads = 4;
  c.thread_count = kThreads;
  AVDictionary* options = nullptr;
  av_dict_parse_string(&options, encoder.options, "=", ";", 0);
  if (f.bitrate > 0)
    c.bit_rate = f.bitrate;
  else if (info(f.codec).has_quality)
    av_dict_set_int(&options, "crf", std::lround(encoder.best - encoder.per_quality * f.quality),
                    0);
  const int opened = avcodec_open2(&c, codec, &options);
  const bool all_known = av_dict_count(options) == 0;
  av_dict_free(&options);
  if (opened >= 0 && !all_known) return fail(label + ": this library does not know its options.");
  if (opened < 0)
    return fail(label + " of " + std::to_string(size.width) + "×" + std::to_string(size.height) +
                " cannot be encoded: " + av::words(opened) + ".");
  AVFrame& frame = *state->frame;
  frame.format = c.pix_fmt;
  frame.width = c.width;
  frame.height = c.height;
  av::set_colours(frame, frame.colorspace, frame.chroma_location, f);
  if (const int code = av_frame_get_buffer(&frame, 0); code < 0)
    return fail("There is not enough memory for a film of that size.");
  if (c.extradata) state->segment.headers.assign(c.extradata, c.extradata + c.extradata_size);
  state->segment.profile = c.profile;
  state->segment.level = c.level;
  return SegmentEncoder(std::move(state));
}

Result<void> SegmentEncoder::add(const YCbCr& picture, const std::string& sources) {
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
  state_->segment.sources.push_back(sources);
  LightLevels& levels = state_->segment.levels;
  levels = {std::max(levels.most, picture.levels.most), std::max(levels.mean, picture.levels.mean)};
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

constexpr char kMagic[8] = {'T', 'K', 'S', 'E', 'G', 'M', '0', '3'};

void put(std::vector<std::uint8_t>& out, std::int64_t v) {
  for (int i = 0; i < 8; ++i) out.push_back(static_cast<std::uint8_t>(v >> (8 * i)));
}
void put(std::vector<std::uint8_t>& out, const std::vector<std::uint8_t>& bytes) {
  put(out, static_cast<std::int64_t>(bytes.size()));
  out.insert(out.end(), bytes.begin(), bytes.end());
}

constexpr double kLevelSteps = 100;  // to a cd/m²

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
  for (float v : {s.levels.most, s.levels.mean}) put(out, std::llround(v * kLevelSteps));
  put(out, s.headers);
  put(out, static_cast<std::int64_t>(s.packets.size()));
  for (const Packet& p : s.packets) {
    put(out, p.shown);
    put(out, p.decoded);
    put(out, p.key ? 1 : 0);
    put(out, p.data);
  }
  for (const std::string& one : s.sources) put(out, {one.begin(), one.end()});
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
  s.levels.most = static_cast<float>(static_cast<double>(in.number()) / kLevelSteps);
  s.levels.mean = static_cast<float>(static_cast<double>(in.number()) / kLevelSteps);
  s.headers = in.data();
  for (std::int64_t n = in.number(); n > 0 && in.good; --n) {
    Packet p;
    p.shown = in.number();
    p.decoded = in.number();
    p.key = in.number() != 0;
    p.data = in.data();
    s.packets.push_back(std::move(p));
  }
  for (int i = 0; i < s.frames && in.good; ++i) {
    const auto one = in.data();
    s.sources.emplace_back(one.begin(), one.end());
  }
  if (!in.good) return damaged();
  return s;
}

}  // namespace tsukimi
