// SPDX-License-Identifier: GPL-3.0-or-later
#include "base/copy.h"

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>
#include <xxhash.h>

#include <cerrno>
#include <cstring>
#include <memory>
#include <vector>

#include "base/file.h"

namespace tsukimi {
namespace fs = std::filesystem;
namespace {

constexpr std::size_t kChunk = 4u << 20;

class Descriptor {
 public:
  explicit Descriptor(int fd) : fd_(fd) {}
  ~Descriptor() {
    if (fd_ >= 0) ::close(fd_);
  }
  Descriptor(const Descriptor&) = delete;
  Descriptor& operator=(const Descriptor&) = delete;
  int get() const { return fd_; }
  bool good() const { return fd_ >= 0; }

 private:
  int fd_;
};

struct FreeState {
  void operator()(XXH3_state_t* s) const { XXH3_freeState(s); }
};

class Checksum {
 public:
  Checksum() : state_(XXH3_createState()) { XXH3_128bits_reset(state_.get()); }
  void add(const void* data, std::size_t n) { XXH3_128bits_update(state_.get(), data, n); }
  XXH128_hash_t value() const { return XXH3_128bits_digest(state_.get()); }

 private:
  std::unique_ptr<XXH3_state_t, FreeState> state_;
};

tl::unexpected<Error> failed(const fs::path& path, const char* what) {
  return fail(path.string() + " cannot be " + what + ": " + std::strerror(errno) + ".");
}

// Feeds the file to fn(data, size) until that is false.
template <typename Fn>
Result<void> each_chunk(int fd, const fs::path& path, const Fn& fn) {
  std::vector<std::uint8_t> buffer(kChunk);
  for (;;) {
    const ssize_t n = ::read(fd, buffer.data(), buffer.size());
    if (n < 0 && errno == EINTR) continue;
    if (n < 0) return failed(path, "read");
    if (n == 0) return {};
    if (!fn(buffer.data(), static_cast<std::size_t>(n))) return {};
  }
}

Result<XXH128_hash_t> checksum_of(const fs::path& path, bool from_disk) {
  const Descriptor in(::open(path.c_str(), O_RDONLY | O_CLOEXEC));
  if (!in.good()) return failed(path, "opened");
  if (from_disk) (void)::posix_fadvise(in.get(), 0, 0, POSIX_FADV_DONTNEED);
  Checksum sum;
  const auto ok = each_chunk(in.get(), path, [&](const std::uint8_t* data, std::size_t n) {
    sum.add(data, n);
    return true;
  });
  if (!ok) return tl::unexpected(ok.error());
  return sum.value();
}

}  // namespace

Result<void> copy_verified(const fs::path& from, const fs::path& to, const Work& work) {
  const Descriptor in(::open(from.c_str(), O_RDONLY | O_CLOEXEC));
  if (!in.good()) return failed(from, "opened");
  struct stat st {};
  if (::fstat(in.get(), &st) != 0) return failed(from, "read");
  Checksum sum;
  Result<void> read;
  auto file = StagedFile::write(to, [&](int out) {
    int code = 0;
    read = each_chunk(in.get(), from, [&](const std::uint8_t* data, std::size_t n) {
      sum.add(data, n);
      code = work.stop() ? ECANCELED : write_all(out, {data, n});
      return code == 0;
    });
    const timespec times[2] = {st.st_mtim, st.st_mtim};
    (void)::futimens(out, times);
    return read ? code : EIO;
  });
  if (work.stop()) return fail("Copying was cancelled.");
  if (!read) return read;
  if (!file) return tl::unexpected(file.error());
  if (auto ok = file->sync(); !ok) return ok;
  const auto back = checksum_of(file->temporary(), true);
  if (!back) return tl::unexpected(back.error());
  if (!XXH128_isEqual(*back, sum.value()))
    return fail(to.string() +
                " differs from the original after copying; the copy was thrown away.");
  return file->give_name(IfExists::keep);
}

Result<std::string> file_checksum(const fs::path& path) {
  const auto sum = checksum_of(path, false);
  if (!sum) return tl::unexpected(sum.error());
  char text[40];
  std::snprintf(text, sizeof text, "%016llx%016llx", static_cast<unsigned long long>(sum->high64),
                static_cast<unsigned long long>(sum->low64));
  return text;
}

Result<bool> same_content(const fs::path& a, const fs::path& b) {
  std::error_code ec;
  const auto size_a = fs::file_size(a, ec), size_b = ec ? 0 : fs::file_size(b, ec);
  if (ec)
    return fail(a.string() + " cannot be compared with " + b.string() + ": " + ec.message() + ".");
  if (size_a != size_b) return false;
  const auto sum_a = checksum_of(a, false), sum_b = checksum_of(b, false);
  if (!sum_a) return tl::unexpected(sum_a.error());
  if (!sum_b) return tl::unexpected(sum_b.error());
  return XXH128_isEqual(*sum_a, *sum_b) != 0;
}

}  // namespace tsukimi
