// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/probe_film.h"

#include "output/av.h"

namespace tsukimi {

Result<ProbedFilm> probe_film(const std::filesystem::path& file) {
  av_log_set_level(AV_LOG_QUIET);
  AVFormatContext* c = nullptr;
  auto failed = [&](int code) {
    return fail(file.string() + " cannot be read as a film: " + av::words(code) + ".");
  };
  if (const int code = avformat_open_input(&c, file.c_str(), nullptr, nullptr); code < 0)
    return failed(code);
  const av::Input open(c);
  if (const int code = avformat_find_stream_info(c, nullptr); code < 0) return failed(code);
  const int index = av_find_best_stream(c, AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
  if (index < 0) return fail(file.string() + " has no pictures.");
  const AVStream& s = *c->streams[index];
  ProbedFilm out{{s.codecpar->width, s.codecpar->height}, 0, 0};
  const av::Packet packet(av_packet_alloc());
  std::int64_t first = INT64_MAX, last = INT64_MIN;
  while (av_read_frame(c, packet.get()) >= 0) {
    if (packet->stream_index == index) {
      ++out.frames;
      const std::int64_t at = packet->pts == AV_NOPTS_VALUE ? packet->dts : packet->pts;
      first = std::min(first, at);
      last = std::max(last, at + packet->duration);
    }
    av_packet_unref(packet.get());
  }
  if (out.frames > 0) out.seconds = static_cast<double>(last - first) * av_q2d(s.time_base);
  return out;
}

}  // namespace tsukimi
