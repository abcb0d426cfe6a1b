// SPDX-License-Identifier: GPL-3.0-or-later
// Stands in for libFuzzer where there is no clang: changes seeds at random for a while.
//   fuzz_x [-max_total_time=SECONDS] [-other=options] FOLDER_OF_SEEDS
#include <chrono>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <random>
#include <vector>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size);

namespace {

using Bytes = std::vector<std::uint8_t>;

void change(Bytes& b, std::mt19937& random, const std::vector<Bytes>& seeds) {
  if (b.empty()) return;
  auto below = [&](std::size_t n) { return random() % n; };
  switch (below(6)) {
    case 0:
      b[below(b.size())] ^= static_cast<std::uint8_t>(1u << below(8));
      break;
    case 1:
      b[below(b.size())] = static_cast<std::uint8_t>(random());
      break;
    case 2:
      b.resize(below(b.size()) + 1);
      break;
    case 3: {  // the extremes of a number
      const std::uint32_t values[] = {0, 1, 0x7fffffff, 0x80000000, 0xffffffff, 0xffff};
      const std::uint32_t v = values[below(6)];
      const std::size_t at = below(b.size());
      std::memcpy(b.data() + at, &v, std::min<std::size_t>(sizeof v, b.size() - at));
      break;
    }
    case 4: {
      const std::size_t from = below(b.size()), n = std::min(below(64) + 1, b.size() - from);
      b.erase(b.begin() + static_cast<std::ptrdiff_t>(from),
              b.begin() + static_cast<std::ptrdiff_t>(from + n));
      break;
    }
    default: {
      const Bytes& other = seeds[below(seeds.size())];
      if (other.empty()) break;
      const std::size_t from = below(other.size()),
                        n = std::min(below(64) + 1, other.size() - from), at = below(b.size() + 1);
      b.insert(b.begin() + static_cast<std::ptrdiff_t>(at),
               other.begin() + static_cast<std::ptrdiff_t>(from),
               other.begin() + static_cast<std::ptrdiff_t>(from + n));
    }
  }
}

}  // namespace

int main(int argc, char** argv) {
  double seconds = 15;
  std::vector<Bytes> seeds;
  for (int i = 1; i < argc; ++i) {
    if (std::sscanf(argv[i], "-max_total_time=%lf", &seconds) == 1 || argv[i][0] == '-') continue;
    for (const auto& e : std::filesystem::directory_iterator(argv[i])) {
      std::ifstream in(e.path(), std::ios::binary);
      seeds.emplace_back(std::istreambuf_iterator<char>(in), std::istreambuf_iterator<char>());
    }
  }
  if (seeds.empty()) return std::puts("no seeds"), 1;
  std::mt19937 random(1);
  using Clock = std::chrono::steady_clock;
  const auto begin = Clock::now();
  long runs = 0;
  while (std::chrono::duration<double>(Clock::now() - begin).count() < seconds) {
    Bytes b = seeds[random() % seeds.size()];
    for (unsigned k = random() % 6; k > 0; --k) change(b, random, seeds);
    LLVMFuzzerTestOneInput(b.data(), b.size());
    ++runs;
  }
  std::printf("%ld inputs\n", runs);
}
