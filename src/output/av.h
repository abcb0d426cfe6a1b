// SPDX-License-Identifier: GPL-3.0-or-later
// FFmpeg's libraries: their objects free themselves, and what they call our codecs and pixels.
#pragma once

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/mastering_display_metadata.h>
#include <libavutil/opt.h>
}

#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "document/exports/film_settings.h"

namespace tsukimi::av {

struct Free {
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
  void operator()(AVFrame* f) const { av_frame_free(&f); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
  void operator()(AVCodecParameters* p) const { avcodec_parameters_free(&p); }
};
struct CloseInput {
  void operator()(AVFormatContext* c) const { avformat_close_input(&c); }
};
using Input = std::unique_ptr<AVFormatContext, CloseInput>;
using Parameters = std::unique_ptr<AVCodecParameters, Free>;
using Context = std::unique_ptr<AVCodecContext, Free>;
using Frame = std::unique_ptr<AVFrame, Free>;
using Packet = std::unique_ptr<AVPacket, Free>;

std::string words(int code);  // of an error

struct Encoder {
  Codec id;
  const char* name;
  AVCodecID stream;
  std::uint32_t tag;         // in QuickTime and MP4 files; 0: what the library chooses
  const char* options;       // NAME=VALUE;NAME=VALUE
  double best, per_quality;  // its rate factor is best - per_quality * quality
  // About as many bits a pixel of photographs at quality 85, or always; by how much more of 10 bit.
  double pixel_bits, more_when_deep;
};
const Encoder& encoder_of(Codec codec);

AVPixelFormat pixels_of(const FilmSettings& settings);

// How colours are told in frames, streams and containers.
template <typename T>
void set_colours(T& to, AVColorSpace& matrix, AVChromaLocation& location,
                 const FilmSettings& settings) {
  const bool rec2020 = settings.space == ColourSpace::rec2020;
  to.color_primaries = rec2020 ? AVCOL_PRI_BT2020 : AVCOL_PRI_BT709;
  to.color_trc = settings.light == FilmLight::pq    ? AVCOL_TRC_SMPTE2084
                 : settings.light == FilmLight::hlg ? AVCOL_TRC_ARIB_STD_B67
                 : rec2020                          ? AVCOL_TRC_BT2020_10
                                                    : AVCOL_TRC_BT709;
  to.color_range = AVCOL_RANGE_MPEG;
  matrix = rec2020 ? AVCOL_SPC_BT2020_NCL : AVCOL_SPC_BT709;
  location = AVCHROMA_LOC_LEFT;
}

}  // namespace tsukimi::av
