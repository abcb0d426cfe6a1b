// SPDX-License-Identifier: GPL-3.0-or-later
// The sound of a film: as it stands in its file where the container takes it, else encoded anew.
#pragma once

#include <filesystem>
#include <memory>

#include "base/result.h"

struct AVFormatContext;
struct AVStream;

namespace tsukimi {

class SoundTrack {
 public:
  // As long as the film, or shorter where the sound is. container: ".mp4". Fails when the file has
  // no sound or cannot be read, or when the system's library lacks an encoder for the container.
  static Result<SoundTrack> read(const std::filesystem::path& file, const std::string& container,
                                 double seconds);
  SoundTrack(SoundTrack&&) noexcept;
  SoundTrack& operator=(SoundTrack&&) noexcept;
  ~SoundTrack();

  // For who writes the film: its stream (none when memory lacks), and its packets up to a moment in
  // the film, in s. 0 or the library's code.
  AVStream* add_stream(AVFormatContext& film) const;
  int write_until(AVFormatContext& film, const AVStream& stream, double seconds) const;

 private:
  struct State;
  explicit SoundTrack(std::unique_ptr<State> state);
  std::unique_ptr<State> state_;
};

}  // namespace tsukimi
