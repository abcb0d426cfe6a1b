// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/cut_film.h"

#include "output/av.h"

namespace tsukimi {
namespace {

using Bytes = std::vector<std::uint8_t>;

void add_unit(Bytes& out, std::span<const std::uint8_t> unit) {
  out.insert(out.end(), {0, 0, 0, 1});
  out.insert(out.end(), unit.begin(), unit.end());
}

// Containers tell the length of each unit of H.264 and H.265, encoders begin it with a code (ITU-T
// H.264 and H.265, annex B; ISO/IEC 14496-15).
Bytes with_codes(std::span<const std::uint8_t> in) {
  Bytes out;
  while (in.size() > 4) {
    const std::size_t n = std::size_t{in[0]} << 24 | in[1] << 16 | in[2] << 8 | in[3];
    if (n > in.size() - 4) return {};
    add_unit(out, in.subspan(4, n));
    in = in.subspan(4 + n);
  }
  return out;
}

// Units with 16-bit lengths, `count` of them; what follows them, or nothing when they are cut
// short.
std::optional<std::span<const std::uint8_t>> add_units(Bytes& out, int count,
                                                       std::span<const std::uint8_t> in) {
  for (int i = 0; i < count; ++i) {
    if (in.size() < 2) return {};
    const std::size_t n = static_cast<std::size_t>(in[0]) << 8 | in[1];
    if (n > in.size() - 2) return {};
    add_unit(out, in.subspan(2, n));
    in = in.subspan(2 + n);
  }
  return in;
}

Bytes h264_headers(std::span<const std::uint8_t> in) {
  Bytes out;
  if (in.size() < 7) return {};
  const auto rest = add_units(out, in[5] & 31, in.subspan(6));
  if (!rest || rest->empty()) return {};
  return add_units(out, (*rest)[0], rest->subspan(1)) ? out : Bytes();
}

Bytes h265_headers(std::span<const std::uint8_t> in) {
  Bytes out;
  constexpr std::size_t kHead = 23;
  if (in.size() < kHead) return {};
  std::optional<std::span<const std::uint8_t>> rest = in.subspan(kHead);
  for (int i = 0; i < in[kHead - 1]; ++i) {
    if (rest->size() < 3) return {};
    const int count = (*rest)[1] << 8 | (*rest)[2];
    rest = add_units(out, count, rest->subspan(3));
    if (!rest) return {};
  }
  return out;
}

bool has_lengths(Codec codec, std::span<const std::uint8_t> headers) {
  return (codec == Codec::h264 || codec == Codec::h265) && !headers.empty() && headers[0] == 1;
}

}  // namespace

void cut_film(const std::filesystem::path& film, Codec codec, Rate rate,
              const std::vector<FilmCut>& cuts,
              const std::function<void(std::size_t, Segment)>& take) {
  av_log_set_level(AV_LOG_QUIET);
  AVFormatContext* c = nullptr;
  if (avformat_open_input(&c, film.c_str(), nullptr, nullptr) < 0) return;
  const av::Input open(c);
  if (avformat_find_stream_info(c, nullptr) < 0) return;
  const int index = av_find_best_stream(c, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
  if (index < 0) return;
  const AVStream& s = *c->streams[index];
  const AVCodecParameters& p = *s.codecpar;
  if (p.codec_id != av::encoder_of(codec).stream) return;
  Segment empty;
  empty.profile = p.profile;
  empty.level = p.level;
  const std::span<const std::uint8_t> headers(p.extradata,
                                              static_cast<std::size_t>(p.extradata_size));
  const bool lengths = has_lengths(codec, headers);
  empty.headers = !lengths               ? Bytes(headers.begin(), headers.end())
                  : codec == Codec::h264 ? h264_headers(headers)
                                         : h265_headers(headers);
  if (lengths && empty.headers.empty()) return;
  Segment now = empty;
  std::size_t k = 0;
  const AVRational frame{rate.seconds, rate.frames};
  const av::Packet packet(av_packet_alloc());
  while (k < cuts.size() && av_read_frame(c, packet.get()) >= 0) {
    const bool ours = packet->stream_index == index && packet->pts != AV_NOPTS_VALUE;
    const std::int64_t shown = ours ? av_rescale_q(packet->pts, s.time_base, frame) : -1;
    while (k < cuts.size() && shown >= cuts[k].first + cuts[k].count) {
      now = empty;
      ++k;  // something of it was missing
    }
    if (ours && k < cuts.size() && shown >= cuts[k].first) {
      Packet out;
      out.shown = shown - cuts[k].first;
      // Matroska tells no times of decoding: they follow from the order.
      out.decoded = packet->dts != AV_NOPTS_VALUE
                        ? av_rescale_q(packet->dts, s.time_base, frame) - cuts[k].first
                        : static_cast<std::int64_t>(now.packets.size()) - p.video_delay;
      out.key = (packet->flags & AV_PKT_FLAG_KEY) != 0;
      const std::span<const std::uint8_t> data(packet->data,
                                               static_cast<std::size_t>(packet->size));
      out.data = lengths ? with_codes(data) : Bytes(data.begin(), data.end());
      now.packets.push_back(std::move(out));
      if (static_cast<int>(now.packets.size()) == cuts[k].count) {
        now.frames = cuts[k].count;
        if (now.packets.front().key) take(k, std::move(now));
        now = empty;
        ++k;
      }
    }
    av_packet_unref(packet.get());
  }
}

}  // namespace tsukimi
