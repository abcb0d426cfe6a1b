// Pictures to file bytes, with an sRGB ICC profile and the capture metadata.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "frames/frame_info.h"
#include "image/image.h"
#include "image/result.h"

namespace tsukimi {

using Bytes = std::vector<std::uint8_t>;

// The ICC profile embedded in every exported file.
const Bytes& srgb_profile();

// 16-bit RGB TIFF, uncompressed.
Result<Bytes> encode_tiff16(const Encoded16& picture);
// Baseline JPEG, no chroma subsampling. quality 1..100.
Result<Bytes> encode_jpeg(const Encoded8& picture, int quality);

// Adds what the frame's EXIF says of the capture (time, exposure, camera, lens) and "Tsukimi" as
// the software; `note`, if there is one, as the image description. The picture is upright, so the
// orientation is 1.
Result<Bytes> with_metadata(Bytes file, const FrameInfo& frame, Size size,
                            const std::string& note = {});

}  // namespace tsukimi
