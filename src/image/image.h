// SPDX-License-Identifier: GPL-3.0-or-later
// Pixel containers: plain data, planar, float32 unless said otherwise.
#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <new>
#include <vector>

namespace tsukimi {

// Memory for pixels: aligned to a cache line; big planes lie in huge pages where the system has
// them, which saves thousands of page faults for each. Up to 400 MB of freed planes are kept for
// the next frame until drop_spare_pixels gives them back.
void* allocate_pixels(std::size_t bytes);
void free_pixels(void* memory, std::size_t bytes);
void drop_spare_pixels();
// From now on all bytes of new memory are this one (0xff: NaN, 65535), so that a test sees what is
// read before it is written. Otherwise it holds what lay there before, often zeros.
void spoil_new_pixels(unsigned char byte = 0xff);

// Leaves memory uninitialised, so that big planes cost no clearing.
template <typename T>
struct PixelAllocator {
  using value_type = T;
  PixelAllocator() = default;
  template <typename U>
  PixelAllocator(const PixelAllocator<U>&) {}
  T* allocate(std::size_t n) { return static_cast<T*>(allocate_pixels(n * sizeof(T))); }
  void deallocate(T* p, std::size_t n) { free_pixels(p, n * sizeof(T)); }
  template <typename U>
  void construct(U* p) {
    ::new (static_cast<void*>(p)) U;
  }
  template <typename U, typename... Args>
  void construct(U* p, Args&&... args) {
    ::new (static_cast<void*>(p)) U(std::forward<Args>(args)...);
  }
  bool operator==(const PixelAllocator&) const { return true; }
};

template <typename T>
using Pixels = std::vector<T, PixelAllocator<T>>;

struct Size {
  int width = 0, height = 0;
  bool operator==(const Size&) const = default;
};

// One channel, row-major. A new plane is not cleared.
struct Plane {
  int width = 0, height = 0;
  Pixels<float> data;

  Plane() = default;
  Plane(int w, int h) : width(w), height(h), data(static_cast<std::size_t>(w) * h) {}
  float* row(int y) { return data.data() + static_cast<std::size_t>(y) * width; }
  const float* row(int y) const { return data.data() + static_cast<std::size_t>(y) * width; }
  float at(int x, int y) const { return row(y)[x]; }
  float& at(int x, int y) { return row(y)[x]; }
};

// Three planes of one size: camera RGB, linear Rec. 2020 or display-linear sRGB; each function
// says which it takes.
struct Image {
  int width = 0, height = 0;
  std::array<Plane, 3> planes;

  Image() = default;
  Image(int w, int h) : width(w), height(h), planes{Plane(w, h), Plane(w, h), Plane(w, h)} {}
  bool empty() const { return width == 0 || height == 0; }
  Size size() const { return {width, height}; }
};

// Interleaved RGB of 8 or 16 bit, encoded for the display.
template <typename T>
struct Encoded {
  int width = 0, height = 0;
  Pixels<T> data;  // 3 * width * height, no row padding

  Encoded() = default;
  Encoded(int w, int h) : width(w), height(h), data(static_cast<std::size_t>(w) * h * 3) {}
  T* row(int y) { return data.data() + static_cast<std::size_t>(y) * width * 3; }
  const T* row(int y) const { return data.data() + static_cast<std::size_t>(y) * width * 3; }
};
using Encoded8 = Encoded<std::uint8_t>;
using Encoded16 = Encoded<std::uint16_t>;

}  // namespace tsukimi
