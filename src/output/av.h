// FFmpeg's libraries, whose objects free themselves.
#pragma once

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/opt.h>
}

#include <memory>
#include <string>

namespace tsukimi::av {

struct Free {
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
  void operator()(AVFrame* f) const { av_frame_free(&f); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
};
using Context = std::unique_ptr<AVCodecContext, Free>;
using Frame = std::unique_ptr<AVFrame, Free>;
using Packet = std::unique_ptr<AVPacket, Free>;

inline std::string words(int code) {
  char text[AV_ERROR_MAX_STRING_SIZE] = {};
  av_strerror(code, text, sizeof text);
  return text;
}

// The codec's number, and how its pixels, colours and field order are told in streams and
// containers; for encoders and muxers alike.
template <typename T>
void set_colours(T& to, bool rec2020, bool deep) {
  to.color_primaries = rec2020 ? AVCOL_PRI_BT2020 : AVCOL_PRI_BT709;
  to.color_trc = !rec2020 ? AVCOL_TRC_BT709 : deep ? AVCOL_TRC_BT2020_10 : AVCOL_TRC_BT2020_12;
  to.color_range = AVCOL_RANGE_MPEG;
}

}  // namespace tsukimi::av
