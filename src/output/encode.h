// Pictures to file bytes, with an sRGB ICC profile and the capture metadata.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "base/result.h"
#include "camera/frame_info.h"
#include "image/image.h"

namespace tsukimi {

using Bytes = std::vector<std::uint8_t>;

// The ICC profile embedded in every exported file.
const Bytes& srgb_profile();

// Baseline JPEG, no chroma subsampling. quality 1..100.
Result<Bytes> encode_jpeg(const Encoded8& picture, int quality);

// Adds what the frame's EXIF says of the capture (time, exposure, camera, lens) and "Tsukimi" as
// the software; `note`, if there is one, as the image description. The picture is upright, so the
// orientation is 1.
Result<Bytes> with_metadata(Bytes jpeg, const FrameInfo& frame, Size size,
                            const std::string& note = {});

// 16-bit RGB TIFF, uncompressed, with the same metadata, straight to an open file (read and write):
// big pictures are not copied on their way. 0 or an errno.
int write_tiff16(int fd, const Encoded16& picture, const FrameInfo& frame,
                 const std::string& note = {});

}  // namespace tsukimi
