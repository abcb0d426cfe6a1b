// SPDX-License-Identifier: GPL-3.0-or-later
#include "document/exports/export_settings.h"

namespace tsukimi {
namespace {

constexpr FileFormats kFormats{{
    {FileFormat::jpeg, "jpeg", "JPEG", ".jpg", 8, true, false, true},
    {FileFormat::tiff8, "tiff8", "TIFF, 8 bit", ".tif", 8, false, true, true},
    {FileFormat::tiff16, "tiff16", "TIFF, 16 bit", ".tif", 16, false, true, true},
    {FileFormat::png8, "png8", "PNG, 8 bit", ".png", 8, false, false, true},
    {FileFormat::png16, "png16", "PNG, 16 bit", ".png", 16, false, false, true},
    {FileFormat::exr, "exr", "OpenEXR, half float", ".exr", 16, false, false, false},
    {FileFormat::dng, "dng", "DNG, linear 16 bit", ".dng", 16, false, false, false},
}};

}  // namespace

const FileFormats& file_formats() { return kFormats; }
const FormatInfo& info(FileFormat format) { return kFormats[format]; }

}  // namespace tsukimi
