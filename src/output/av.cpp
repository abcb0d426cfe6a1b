// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/av.h"

namespace tsukimi::av {

std::string words(int code) {
  if (code == AVERROR(ENOSPC)) return "the disk is full";
  char text[AV_ERROR_MAX_STRING_SIZE] = {};
  av_strerror(code, text, sizeof text);
  return text;
}

namespace {

// The same pictures must give the same bytes, on a busy machine too. x264's tree of macroblocks
// reads memory that nobody has written (seen in the library of Debian 12); x265 takes one frame
// after the other; SVT-AV1, the faster one, never comes back when it is closed without a picture.
constexpr Table<Codec, Encoder> kEncoders{{
    {Codec::h264, "libx264", AV_CODEC_ID_H264, 0, "preset=medium;x264-params=open-gop=0:mbtree=0",
     51, 0.46, 0.35, 1},
    {Codec::h265, "libx265", AV_CODEC_ID_HEVC, MKTAG('h', 'v', 'c', '1'),
     "preset=fast;x265-params=open-gop=0:frame-threads=1:log-level=error:info=0", 51, 0.46, 0.25,
     1},
    {Codec::prores422, "prores_ks", AV_CODEC_ID_PRORES, MKTAG('a', 'p', 'c', 'n'),
     "profile=standard", 0, 0, 2.4, 1},
    {Codec::prores422hq, "prores_ks", AV_CODEC_ID_PRORES, MKTAG('a', 'p', 'c', 'h'), "profile=hq",
     0, 0, 3.6, 1},
    {Codec::prores4444, "prores_ks", AV_CODEC_ID_PRORES, MKTAG('a', 'p', '4', 'h'), "profile=4444",
     0, 0, 5.4, 1},
    // A filter over key frames makes them brighter and softer than their neighbours.
    {Codec::av1, "libaom-av1", AV_CODEC_ID_AV1, 0,
     "cpu-used=6;row-mt=1;aom-params=enable-keyframe-filtering=0", 63, 0.55, 0.22, 1},
    {Codec::vp9, "libvpx-vp9", AV_CODEC_ID_VP9, 0, "deadline=good;cpu-used=4;row-mt=1", 63, 0.55,
     0.22, 1},
    {Codec::ffv1, "ffv1", AV_CODEC_ID_FFV1, 0, "level=3;slices=16;slicecrc=1;g=1", 0, 0, 8, 1.5},
    // Its colours are chosen when all pictures are there: until then nothing is lost (join_gif.h).
    {Codec::gif, "ffv1", AV_CODEC_ID_FFV1, 0, "level=3;slices=4;slicecrc=1;g=1", 0, 0, 4, 1},
}};

}  // namespace

const Encoder& encoder_of(Codec codec) { return kEncoders[codec]; }

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

}  // namespace tsukimi::av
