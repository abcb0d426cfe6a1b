// SPDX-License-Identifier: GPL-3.0-or-later
#include "output/sound_track.h"

#include "base/text.h"
#include "output/av.h"

extern "C" {
#include <libavutil/audio_fifo.h>
#include <libavutil/channel_layout.h>
#include <libswresample/swresample.h>
}

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

struct FreeResampler {
  void operator()(SwrContext* s) const { swr_free(&s); }
};
struct FreeFifo {
  void operator()(AVAudioFifo* f) const { av_audio_fifo_free(f); }
};

struct Encoding {
  AVCodecID id;
  const char* encoder;
  int rate;
  AVSampleFormat format;
};

// What plays everywhere in such a file.
Encoding encoding_for(const std::string& container) {
  if (container == ".webm") return {AV_CODEC_ID_OPUS, "libopus", 48000, AV_SAMPLE_FMT_FLT};
  if (container == ".mkv") return {AV_CODEC_ID_FLAC, "flac", 48000, AV_SAMPLE_FMT_S16};
  return {AV_CODEC_ID_AAC, "aac", 48000, AV_SAMPLE_FMT_FLTP};
}

bool goes_into(AVCodecID id, const std::string& container) {
  if (container == ".mp4")
    return id == AV_CODEC_ID_AAC || id == AV_CODEC_ID_MP3 || id == AV_CODEC_ID_ALAC;
  if (container == ".mov")
    return id == AV_CODEC_ID_AAC || id == AV_CODEC_ID_MP3 || id == AV_CODEC_ID_ALAC ||
           id == AV_CODEC_ID_PCM_S16LE || id == AV_CODEC_ID_PCM_S24LE;
  if (container == ".webm") return id == AV_CODEC_ID_OPUS || id == AV_CODEC_ID_VORBIS;
  return true;  // Matroska takes everything
}

}  // namespace

struct SoundTrack::State {
  av::Parameters parameters{avcodec_parameters_alloc()};
  AVRational time_base{1, 1};
  struct Piece {
    std::int64_t at, length;  // in the time base
    std::vector<std::uint8_t> data;
  };
  std::vector<Piece> pieces;
  mutable std::size_t next = 0;

  void add(const AVPacket& p) { pieces.push_back({p.pts, p.duration, {p.data, p.data + p.size}}); }
};

namespace {

struct Open {
  av::Input input;
  int stream = -1;
  const AVStream& sound() const { return *input->streams[stream]; }
};

Result<Open> open_sound(const fs::path& file) {
  const std::string name = printable(file.string());
  AVFormatContext* c = nullptr;
  if (const int code = avformat_open_input(&c, file.c_str(), nullptr, nullptr); code < 0)
    return fail(name + " cannot be read as sound: " + av::words(code) + ".");
  Open out{av::Input(c)};
  if (avformat_find_stream_info(c, nullptr) >= 0)
    out.stream = av_find_best_stream(c, AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
  if (out.stream < 0) return fail(name + " has no sound.");
  return out;
}

// Decodes, brings to the encoder's form, and encodes; what comes out goes to `take`.
template <typename Take>
class Recoder {
 public:
  Recoder(const AVStream& from, const Encoding& to, Take take) : take_(take) {
    const AVCodec* decoder = avcodec_find_decoder(from.codecpar->codec_id);
    const AVCodec* encoder = avcodec_find_encoder_by_name(to.encoder);
    if (!decoder || !encoder) return;
    in_.reset(avcodec_alloc_context3(decoder));
    out_.reset(avcodec_alloc_context3(encoder));
    if (avcodec_parameters_to_context(in_.get(), from.codecpar) < 0 ||
        avcodec_open2(in_.get(), decoder, nullptr) < 0)
      return;
    if (in_->ch_layout.nb_channels < 1) return;
    out_->sample_rate = to.rate;
    out_->sample_fmt = to.format;
    out_->time_base = {1, to.rate};
    out_->bit_rate = 192000;
    out_->thread_count = 1;
    out_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER | AV_CODEC_FLAG_BITEXACT;
    av_channel_layout_default(&out_->ch_layout, std::min(in_->ch_layout.nb_channels, 2));
    if (avcodec_open2(out_.get(), encoder, nullptr) < 0) return;
    if (in_->ch_layout.order == AV_CHANNEL_ORDER_UNSPEC)
      av_channel_layout_default(&in_->ch_layout, in_->ch_layout.nb_channels);
    SwrContext* s = nullptr;
    if (swr_alloc_set_opts2(&s, &out_->ch_layout, to.format, to.rate, &in_->ch_layout,
                            in_->sample_fmt, in_->sample_rate, 0, nullptr) < 0)
      return;
    resampler_.reset(s);
    fifo_.reset(av_audio_fifo_alloc(to.format, out_->ch_layout.nb_channels, 4096));
    good_ = swr_init(s) >= 0 && fifo_;
  }
  bool good() const { return good_; }
  const AVCodecContext& encoder() const { return *out_; }

  // A packet of the file, or nothing at its end. 0 or the library's code.
  int put(const AVPacket* packet) {
    int code = avcodec_send_packet(in_.get(), packet);
    if (code < 0 && code != AVERROR_EOF) return packet ? 0 : code;  // a damaged one is passed over
    while ((code = avcodec_receive_frame(in_.get(), decoded_.get())) >= 0)
      if (code = convert(decoded_.get()); code < 0) return code;
    if (packet) return 0;
    if (code = convert(nullptr); code < 0) return code;
    if (code = encode(true); code < 0) return code;
    avcodec_send_frame(out_.get(), nullptr);
    return drain();
  }

 private:
  int convert(const AVFrame* from) {
    const int room = swr_get_out_samples(resampler_.get(), from ? from->nb_samples : 0);
    const av::Frame to = frame_of(std::max(room, 1));
    if (!to) return AVERROR(ENOMEM);
    const int n =
        swr_convert(resampler_.get(), to->extended_data, room,
                    from ? const_cast<const std::uint8_t**>(from->extended_data) : nullptr,
                    from ? from->nb_samples : 0);
    if (n < 0) return n;
    if (av_audio_fifo_write(fifo_.get(), reinterpret_cast<void**>(to->extended_data), n) < n)
      return AVERROR(ENOMEM);
    return encode(false);
  }
  int encode(bool rest) {
    const int size = out_->frame_size > 0 ? out_->frame_size : 4096;
    while (av_audio_fifo_size(fifo_.get()) >= (rest ? 1 : size)) {
      const int n = std::min(size, av_audio_fifo_size(fifo_.get()));
      const av::Frame f = frame_of(n);
      if (!f) return AVERROR(ENOMEM);
      av_audio_fifo_read(fifo_.get(), reinterpret_cast<void**>(f->extended_data), n);
      f->pts = sent_;
      sent_ += n;
      if (const int code = avcodec_send_frame(out_.get(), f.get()); code < 0) return code;
      if (const int code = drain(); code < 0) return code;
    }
    return 0;
  }
  int drain() {
    int code;
    while ((code = avcodec_receive_packet(out_.get(), packet_.get())) >= 0) {
      take_(*packet_);
      av_packet_unref(packet_.get());
    }
    return code == AVERROR(EAGAIN) || code == AVERROR_EOF ? 0 : code;
  }
  av::Frame frame_of(int samples) const {
    av::Frame f(av_frame_alloc());
    f->nb_samples = samples;
    f->format = out_->sample_fmt;
    f->sample_rate = out_->sample_rate;
    av_channel_layout_copy(&f->ch_layout, &out_->ch_layout);
    if (av_frame_get_buffer(f.get(), 0) < 0) f.reset();
    return f;
  }

  Take take_;
  av::Context in_, out_;
  std::unique_ptr<SwrContext, FreeResampler> resampler_;
  std::unique_ptr<AVAudioFifo, FreeFifo> fifo_;
  av::Frame decoded_{av_frame_alloc()};
  av::Packet packet_{av_packet_alloc()};
  std::int64_t sent_ = 0;
  bool good_ = false;
};

}  // namespace

SoundTrack::SoundTrack(std::unique_ptr<State> state) : state_(std::move(state)) {}
SoundTrack::SoundTrack(SoundTrack&&) noexcept = default;
SoundTrack& SoundTrack::operator=(SoundTrack&&) noexcept = default;
SoundTrack::~SoundTrack() = default;

Result<SoundTrack> SoundTrack::read(const fs::path& file, const std::string& container,
                                    double seconds) {
  av_log_set_level(AV_LOG_QUIET);
  auto opened = open_sound(file);
  if (!opened) return tl::unexpected(opened.error());
  const AVStream& sound = opened->sound();
  auto state = std::make_unique<State>();
  const bool as_it_is = goes_into(sound.codecpar->codec_id, container);
  const Encoding encoding = encoding_for(container);
  auto take = [&](const AVPacket& p) { state->add(p); };
  std::optional<Recoder<decltype(take)>> recoder;
  if (as_it_is) {
    avcodec_parameters_copy(state->parameters.get(), sound.codecpar);
    state->parameters->codec_tag = 0;
    state->time_base = sound.time_base;
  } else {
    recoder.emplace(sound, encoding, take);
    if (!recoder->good())
      return fail(printable(file.string()) + " has sound that cannot be brought into a " +
                  container + " file here.");
    avcodec_parameters_from_context(state->parameters.get(), &recoder->encoder());
    state->time_base = recoder->encoder().time_base;
  }
  const av::Packet packet(av_packet_alloc());
  const std::int64_t start = sound.start_time == AV_NOPTS_VALUE ? 0 : sound.start_time;
  const double second = av_q2d(sound.time_base);
  int code = 0;
  while (code >= 0 && av_read_frame(opened->input.get(), packet.get()) >= 0) {
    const bool ours = packet->stream_index == opened->stream;
    const bool over = ours && packet->pts != AV_NOPTS_VALUE &&
                      static_cast<double>(packet->pts - start) * second >= seconds;
    if (ours && !over) {
      packet->pts -= packet->pts == AV_NOPTS_VALUE ? 0 : start;
      if (recoder)
        code = recoder->put(packet.get());
      else
        state->add(*packet);
    }
    av_packet_unref(packet.get());
    if (over) break;
  }
  if (recoder && code >= 0) code = recoder->put(nullptr);
  if (code < 0 || state->pieces.empty())
    return fail(printable(file.string()) + " has sound that cannot be read" +
                (code < 0 ? ": " + av::words(code) : std::string()) + ".");
  return SoundTrack(std::move(state));
}

AVStream* SoundTrack::add_stream(AVFormatContext& film) const {
  AVStream* s = avformat_new_stream(&film, nullptr);
  if (!s) return nullptr;
  avcodec_parameters_copy(s->codecpar, state_->parameters.get());
  s->time_base = state_->time_base;
  state_->next = 0;
  return s;
}

int SoundTrack::write_until(AVFormatContext& film, const AVStream& stream, double seconds) const {
  const double second = av_q2d(state_->time_base);
  const av::Packet packet(av_packet_alloc());
  for (auto& k = state_->next; k < state_->pieces.size(); ++k) {
    const State::Piece& piece = state_->pieces[k];
    if (static_cast<double>(piece.at) * second >= seconds) return 0;
    if (const int code = av_new_packet(packet.get(), static_cast<int>(piece.data.size())); code < 0)
      return code;
    std::copy(piece.data.begin(), piece.data.end(), packet->data);
    packet->pts = packet->dts = piece.at;
    packet->duration = piece.length;
    packet->flags = AV_PKT_FLAG_KEY;
    packet->stream_index = stream.index;
    av_packet_rescale_ts(packet.get(), state_->time_base, stream.time_base);
    if (const int code = av_interleaved_write_frame(&film, packet.get()); code < 0) return code;
  }
  return 0;
}

}  // namespace tsukimi
