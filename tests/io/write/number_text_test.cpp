// Numbers as text, against the package for text formatting and against reading them back.

#include "io/write/number_text.hpp"

#include <fmt/format.h>

#include <bit>
#include <cmath>
#include <cstdlib>
#include <limits>
#include <random>
#include <string>
#include <vector>

#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using detail::NumberText;

/// What comes out when numbers are written one after the other.
std::vector<std::string> written(const std::vector<double>& numbers) {
  NumberText text;
  std::vector<std::string> out;
  for (const double number : numbers) {
    char room[detail::longest_number];
    const char* const end = text.write(room, number);
    out.emplace_back(static_cast<const char*>(room), end);
  }
  return out;
}

std::vector<std::string> formatted(const std::vector<double>& numbers) {
  std::vector<std::string> out;
  for (const double number : numbers) out.push_back(fmt::format("{}", number));
  return out;
}

}  // namespace

TEST_CASE("numbers of a few decimals are written as the package writes them", "[write]") {
  std::mt19937_64 random(1);
  for (int decimals = 0; decimals <= 9; ++decimals) {
    for (const double most : {9.0, 99.0, 12345.0, 9999999.0, 1e9, 1e14}) {
      std::uniform_real_distribution<double> spread(-most, most);
      std::vector<double> numbers;
      for (int i = 0; i < 500; ++i) {
        const double power = std::pow(10.0, decimals);
        numbers.push_back(std::round(spread(random) * power) / power);
      }
      CHECK(written(numbers) == formatted(numbers));
    }
  }
}

TEST_CASE("decimals that change from number to number are all found", "[write]") {
  std::mt19937_64 random(2);
  std::vector<double> numbers;
  for (int i = 0; i < 20'000; ++i) {
    const double power = std::pow(10.0, static_cast<double>(random() % 12));
    numbers.push_back(std::round(static_cast<double>(random() % 100'000) * power / 7) / power);
  }
  CHECK(written(numbers) == formatted(numbers));
}

TEST_CASE("numbers of any bits are written as the package writes them", "[write]") {
  std::mt19937_64 random(3);
  std::vector<double> numbers;
  while (numbers.size() < 50'000) {
    const auto number = std::bit_cast<double>(random());
    if (!std::isnan(number)) numbers.push_back(number);
  }
  CHECK(written(numbers) == formatted(numbers));
  bool reads_back = true;
  for (const double number : numbers) {
    reads_back &= std::strtod(written({number})[0].c_str(), nullptr) == number;
  }
  CHECK(reads_back);
}

TEST_CASE("neighbours of short decimals keep all their digits", "[write]") {
  std::vector<double> numbers;
  for (const double number : {0.1, 0.3, 1.1, 2.675, 1234567.125, 9999999.9, 0.0001, 1e7, 1.0}) {
    numbers.push_back(std::nextafter(number, 0));
    numbers.push_back(number);
    numbers.push_back(std::nextafter(number, 1e300));
  }
  CHECK(written(numbers) == formatted(numbers));
  CHECK(written({0.1, std::nextafter(0.1, 1)}) ==
        std::vector<std::string>{"0.1", "0.10000000000000002"});
}

TEST_CASE("zeros, ends and what is no finite number have their texts", "[write]") {
  using Limits = std::numeric_limits<double>;
  CHECK(written({0.0, -0.0, 1.0, -1.5, 1e15, 1e16, 1e-4, 1e-5, Limits::max(), Limits::denorm_min(),
                 Limits::infinity(), -Limits::infinity()}) ==
        std::vector<std::string>{"0", "-0", "1", "-1.5", "1000000000000000", "1e+16", "0.0001",
                                 "1e-05", "1.7976931348623157e+308", "5e-324", "inf", "-inf"});
}

TEST_CASE("a column of full digits and one of few go on from each other", "[write]") {
  std::mt19937_64 random(4);
  std::uniform_real_distribution<double> spread(0, 10);
  std::vector<double> numbers;
  for (int i = 0; i < 1000; ++i) numbers.push_back(spread(random));
  for (int i = 0; i < 1000; ++i) numbers.push_back(std::round(spread(random) * 100) / 100);
  CHECK(written(numbers) == formatted(numbers));
}

TEST_CASE("whole numbers are written with all their digits", "[write]") {
  std::mt19937_64 random(5);
  std::vector<std::int64_t> numbers{0,
                                    -1,
                                    99'999'999,
                                    100'000'000,
                                    -100'000'000,
                                    std::numeric_limits<std::int64_t>::max(),
                                    std::numeric_limits<std::int64_t>::min()};
  for (int shift = 0; shift < 64; ++shift) {
    for (int i = 0; i < 20; ++i) {
      numbers.push_back(static_cast<std::int64_t>(random()) >> shift);
    }
  }
  for (const std::int64_t number : numbers) {
    char room[detail::longest_number];
    const char* const end = detail::write_integer(room, number);
    CHECK(std::string(static_cast<const char*>(room), end) == std::to_string(number));
  }
}

}  // namespace zerobeat::testing
