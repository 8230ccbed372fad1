// Numbers as text: the fast readers against the plain one, and that against strtod.

#include <fmt/format.h>

#include <array>
#include <bit>
#include <cstdlib>
#include <random>

#include "io/judge/cells.hpp"
#include "io/judge/number_batch.hpp"
#include "io/judge/short_number.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("short numbers are read as strtod reads them, or left to the plain reader", "[number]") {
  std::mt19937 random(9);
  const std::string letters = "0123456789.-+e x";
  int read = 0;
  for (int i = 0; i < 300'000; ++i) {
    std::string text(1 + random() % 9, '0');
    for (char& c : text) c = letters[random() % (random() % 4 == 0 ? letters.size() : 11)];
    const std::string padded = "________" + text;
    detail::ShortNumber number;
    const auto plain = detail::read_number(text, '.');
    if (!detail::read_short_number(padded.data() + 8, text.size(), number)) continue;
    ++read;
    INFO(text);
    REQUIRE(plain.kind != detail::NumberReading::Kind::unreadable);
    REQUIRE(number.whole == (plain.kind == detail::NumberReading::Kind::integer));
    if (number.whole) REQUIRE(number.integer == plain.integer);
    if (!number.whole) REQUIRE(number.value() == plain.number);
  }
  CHECK(read > 100'000);
  for (int i = 0; i < 100'000; ++i) {
    const std::string text =
        fmt::format("{}{}.{}", i % 2 == 0 ? "-" : "", random() % 1'000'000'000, random());
    REQUIRE(detail::read_number(text, '.').number == std::strtod(text.c_str(), nullptr));
  }
}

TEST_CASE("short numbers, many at a time, are what each is", "[number]") {
  if (!detail::NumberBatch::is_available()) return;
  std::mt19937 random(10);
  const std::string letters = "0123456789.-+ ";
  std::int64_t together = 0;
  for (int round = 0; round < 20'000; ++round) {
    // Texts one after the other, as they stand in a file.
    const std::size_t count = 1 + random() % detail::NumberBatch::most;
    const bool any = random() % 2 == 0;
    std::string text(8, '_');
    std::vector<std::pair<std::size_t, std::size_t>> cells;
    for (std::size_t i = 0; i < count; ++i) {
      std::string cell = random() % 3 == 0
                             ? fmt::format("{}", static_cast<int>(random() % 20'000) - 10'000)
                             : fmt::format("{}{}.{}", random() % 4 == 0 ? "-" : "", random() % 100,
                                           random() % 1000);
      if (any && random() % 16 == 0) {
        cell.assign(random() % 10, '0');
        for (char& c : cell) c = letters[random() % letters.size()];
      }
      cells.emplace_back(text.size(), cell.size());
      text += cell + ",";
    }
    for (const bool whole : {false, true}) {
      detail::NumberBatch batch;
      for (const auto& [at, n] : cells) {
        if (!batch.add(text.data() + at, n)) break;
      }
      std::array<std::uint64_t, detail::NumberBatch::most> out;
      const std::size_t read = whole ? batch.read_integers(out) : batch.read_numbers(out);
      together += static_cast<std::int64_t>(read);
      for (std::size_t i = 0; i <= read && i < count; ++i) {
        const auto [at, n] = cells[i];
        detail::ShortNumber number;
        const bool is_one = detail::read_short_number(text.data() + at, n, number);
        const bool fits = is_one && (!whole || number.whole);
        INFO(text.substr(at, n));
        REQUIRE(fits == (i < read));
        if (!fits) continue;
        REQUIRE(out[i] == (whole ? std::bit_cast<std::uint64_t>(number.integer)
                                 : std::bit_cast<std::uint64_t>(number.value())));
      }
    }
  }
  CHECK(together > 300'000);
}

TEST_CASE("numbers are what decimals are", "[number]") {
  const auto kind = [](const char* text) { return detail::read_number(text, '.').kind; };
  using Kind = detail::NumberReading::Kind;
  for (const char* text :
       {"1", "-1", "+7", "007", " 12 ", "9223372036854775807", "-9223372036854775808"}) {
    INFO(text);
    CHECK(kind(text) == Kind::integer);
  }
  for (const char* text :
       {"1.", ".5", "-0.0", "1e5", "+1.5E-3", "9223372036854775808", "inf", "-Infinity"}) {
    INFO(text);
    CHECK(kind(text) == Kind::number);
  }
  for (const char* text :
       {"", "-", "+", ".", "1,5", "0x10", "1e", "1e999", "--1", "+-1", "1 2", "nan", "1_000"}) {
    INFO(text);
    CHECK(kind(text) == Kind::unreadable);
  }
}

TEST_CASE("numbers by their places are what each is by itself", "[number]") {
  if (!detail::NumberBatch::is_available()) return;
  std::mt19937 random(12);
  const auto number = [&]() -> std::string {
    switch (random() % 12) {
      case 0:
        return fmt::format("{}", static_cast<int>(random() % 20'000) - 10'000);
      case 1:
        return fmt::format("-{}.{}", random() % 1000, random() % 10);
      case 2:
        return fmt::format("0{}", random() % 100);
      case 3:
        return std::string(1, "-.x"[random() % 3]);
      case 4:
        return "";
      case 5:
        return fmt::format("{}", random());
      default:
        return fmt::format("{}.{:03}", random() % 100, random() % 1000);
    }
  };
  std::size_t read = 0;
  for (int round = 0; round < 6'000; ++round) {
    // Lines of three cells, of which the middle one is read.
    const std::size_t rows = 1 + random() % 30;
    std::string text(8, '_');
    std::vector<std::uint32_t> places;
    std::vector<std::string> cells;
    for (std::size_t row = 0; row < rows; ++row) {
      cells.push_back(random() % 6 == 0 ? number() : fmt::format("{}.{:02}", random() % 10, row));
      text += "t,";
      places.push_back(static_cast<std::uint32_t>(text.size() - 1));
      text += cells.back() + ",";
      places.push_back(static_cast<std::uint32_t>(text.size() - 1));
      text += "x\n";
      places.push_back(static_cast<std::uint32_t>(text.size() - 1));
    }
    std::vector<std::uint64_t> found(rows);
    const bool whole = round % 2 == 0;
    const detail::EvenNumbers even{text.data(), places.data() + 1, 3, rows};
    const std::size_t n =
        whole ? even.read_integers(found.data()) : even.read_numbers(found.data());
    REQUIRE(n <= rows);
    read += n;
    const auto fits = [&](const std::string& cell) {
      const auto plain = detail::read_number(cell, '.');
      const bool needless = cell.size() > 1 && cell[0] == '0' && cell[1] != '.';
      if (cell.empty() || cell.size() > 8) return false;
      if (whole) return plain.kind == detail::NumberReading::Kind::integer && !needless;
      return plain.kind != detail::NumberReading::Kind::unreadable;
    };
    for (std::size_t row = 0; row < n; ++row) {
      INFO(cells[row]);
      REQUIRE(fits(cells[row]));
      const auto plain = detail::read_number(cells[row], '.');
      if (whole) {
        REQUIRE(static_cast<std::int64_t>(found[row]) == plain.integer);
      } else {
        const double wanted = plain.kind == detail::NumberReading::Kind::integer
                                  ? static_cast<double>(plain.integer)
                                  : plain.number;
        REQUIRE(found[row] == std::bit_cast<std::uint64_t>(wanted));
      }
    }
    // It stops at the first that is none, or before a last few.
    if (n + 4 <= rows) REQUIRE_FALSE(fits(cells[n]));
  }
  CHECK(read > 15'000);
}

}  // namespace zerobeat::testing
