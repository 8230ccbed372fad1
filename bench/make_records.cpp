// Writes synthetic records: an ISO time with milliseconds, one of 8 probe names, and a number
// with 3 decimals, about 34 bytes each. usage: make_records N FILE

#include <fmt/format.h>

#include <cstdio>
#include <cstdlib>
#include <random>
#include <zerobeat/time/instant.hpp>

int main(int argc, char** argv) {
  using namespace zerobeat;
  if (argc != 3) return 2;
  const long records = std::atol(argv[1]);
  std::FILE* file = std::fopen(argv[2], "w");
  if (file == nullptr) return 1;
  std::mt19937_64 random(20251020);
  std::int64_t ms = 1'759'276'800'000;  // 2025-10-01T00:00:00Z
  fmt::memory_buffer out;
  fmt::format_to(std::back_inserter(out), "time,probe,level_m\n");
  char text[longest_instant];
  for (long i = 0; i < records; ++i) {
    ms += static_cast<std::int64_t>(random() % 900) + 50;
    const char* const end = write_instant(text, instant_of(ms * 1'000'000), 3);
    out.append(static_cast<const char*>(text), end);
    fmt::format_to(std::back_inserter(out), ",p{},{:.3f}\n", random() % 8,
                   static_cast<double>(random() % 5'000) / 1000.0);
    if (out.size() > (1U << 20)) {
      std::fwrite(out.data(), 1, out.size(), file);
      out.clear();
    }
  }
  std::fwrite(out.data(), 1, out.size(), file);
  return std::fclose(file) == 0 ? 0 : 1;
}
