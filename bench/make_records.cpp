// Writes synthetic records: an ISO time with milliseconds, one of 8 probe names, and a number
// with 3 decimals, about 34 bytes each. With AHEAD, instead what a clock that is so many seconds
// ahead writes of a level that all such files share, once a second with jitter and noise.
// usage: make_records N FILE [AHEAD]

#include <fmt/format.h>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <random>
#include <string>
#include <vector>
#include <zerobeat/time/instant.hpp>

namespace {

using zerobeat::instant_of;

/// A file that is written in large blocks.
class Lines {
 public:
  explicit Lines(const char* path) : file_(std::fopen(path, "w")) {}
  bool is_open() const { return file_ != nullptr; }

  void put(std::int64_t ms, const std::string& rest) {
    char text[zerobeat::longest_instant];
    const char* const end = zerobeat::write_instant(text, instant_of(ms * 1'000'000), 3);
    out_.append(static_cast<const char*>(text), end);
    out_ += rest;
    if (out_.size() > (1U << 20)) flush();
  }
  void put(const std::string& line) { out_ += line; }
  bool close() {
    flush();
    return std::fclose(file_) == 0;
  }

 private:
  void flush() {
    std::fwrite(out_.data(), 1, out_.size(), file_);
    out_.clear();
  }

  std::FILE* file_;
  std::string out_;
};

constexpr std::int64_t first_ms = 1'759'276'800'000;  // 2025-10-01T00:00:00Z

void put_records(Lines& lines, long records) {
  std::mt19937_64 random(20251020);
  std::int64_t ms = first_ms;
  lines.put("time,probe,level_m\n");
  for (long i = 0; i < records; ++i) {
    ms += static_cast<std::int64_t>(random() % 900) + 50;
    const auto probe = random() % 8;
    lines.put(ms, fmt::format(",p{},{:.3f}\n", probe, static_cast<double>(random() % 5'000) / 1e3));
  }
}

double normal(std::mt19937_64& random) {
  double sum = -6;
  for (int i = 0; i < 12; ++i) sum += static_cast<double>(random() >> 11) / 9007199254740992.0;
  return sum;
}

void put_shared(Lines& lines, long records, double ahead_s) {
  std::mt19937_64 shape(7);
  std::vector<double> level;
  double quick = 0, slow = 0;
  for (long i = 0; i < records + 10; ++i) {
    quick = 0.98 * quick + normal(shape);
    slow = 0.999 * slow + 0.02 * quick;
    level.push_back(slow);
  }
  std::mt19937_64 random(static_cast<std::uint64_t>(ahead_s * 1000) + 1);
  lines.put("time,level_m\n");
  for (long i = 0; i < records; ++i) {
    const double late = static_cast<double>(random() % 600) / 1000;
    const auto at = static_cast<std::size_t>(i);
    const double reading = level[at] * (1 - late) + level[at + 1] * late + 0.5 * normal(random);
    const auto ms = first_ms + i * 1000 + std::llround((late + ahead_s) * 1000);
    lines.put(ms, fmt::format(",{:.3f}\n", reading));
  }
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 3 && argc != 4) return 2;
  Lines lines(argv[2]);
  if (!lines.is_open()) return 1;
  if (argc == 4) {
    put_shared(lines, std::atol(argv[1]), std::atof(argv[3]));
  } else {
    put_records(lines, std::atol(argv[1]));
  }
  return lines.close() ? 0 : 1;
}
