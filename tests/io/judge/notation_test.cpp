// Numbers in other notations, against a writer of the test's own.

#include "io/judge/notation.hpp"

#include <fmt/format.h>

#include <random>
#include <zerobeat/io/read.hpp>

#include "io/judge/cells.hpp"
#include "support/strand.hpp"

namespace zerobeat::testing {

namespace {

using detail::NumberReading;
using detail::NumberShape;

/// A number of cents in a notation.
std::string written(std::int64_t cents, const NumberShape& shape, const std::string& before,
                    const std::string& after) {
  std::string whole = std::to_string(std::abs(cents) / 100);
  if (!shape.thousands.empty()) {
    for (auto at = static_cast<std::ptrdiff_t>(whole.size()) - 3; at > 0; at -= 3) {
      whole.insert(static_cast<std::size_t>(at), shape.thousands);
    }
  }
  return fmt::format("{}{}{}{}{:02}{}", cents < 0 ? "-" : "", before, whole, shape.decimal_mark,
                     std::abs(cents) % 100, after);
}

double value_of(const NumberReading& reading) {
  return reading.kind == NumberReading::Kind::integer ? static_cast<double>(reading.integer)
                                                      : reading.number;
}

const std::vector<NumberShape> shapes{
    {'.', "", ""},
    {'.', ",", ""},
    {',', ".", ""},
    {',', " ", ""},
    {'.', "'", ""},
    {'.', ",", "$"},
    {',', ".", "\xe2\x82\xac "},
    {'.', "", "%"},
};

}  // namespace

TEST_CASE("what is written in a notation is read in it", "[notation]") {
  std::mt19937_64 random(4);
  for (const NumberShape& shape : shapes) {
    for (int i = 0; i < 3'000; ++i) {
      const auto cents = static_cast<std::int64_t>(random() % 4'000'000'000'000) >> random() % 40;
      const std::int64_t own = random() % 3 == 0 ? -cents : cents;
      const bool is_percent = shape.strip == "%";
      const std::string text =
          written(own, shape, is_percent ? "" : shape.strip.substr(0, 3), is_percent ? "%" : "");
      INFO(text);
      const NumberReading reading = detail::read_number(text, shape);
      REQUIRE(reading.kind != NumberReading::Kind::unreadable);
      REQUIRE(value_of(reading) == static_cast<double>(own) / 100);
    }
  }
}

TEST_CASE("the options that are named read what they were named for", "[notation]") {
  std::mt19937_64 random(5);
  for (const NumberShape& shape : shapes) {
    if (shape.thousands.empty() && shape.strip.empty()) continue;
    std::vector<std::string> samples;
    std::string text = "time;x\n";
    std::vector<double> values;
    const bool is_percent = shape.strip == "%";
    for (int i = 0; i < 28; ++i) {
      const auto cents = static_cast<std::int64_t>(random() % 90'000'000) + 10'000'000;
      values.push_back(static_cast<double>(cents) / 100);
      samples.push_back(
          written(cents, shape, is_percent ? "" : shape.strip, is_percent ? "%" : ""));
      text += fmt::format("2025-02-{:02};{}\n", i + 1, samples.back());
    }
    const auto options = detail::notation_of(samples, {});
    REQUIRE(options);
    INFO(*options);
    CHECK((options->find("‹thousands›") != std::string::npos) == !shape.thousands.empty());
    CHECK((options->find("‹decimal› comma") != std::string::npos) == (shape.decimal_mark == ','));
    CHECK((options->find("‹strip›") != std::string::npos) == !shape.strip.empty());
    ReadOptions asked;
    asked.decimal = shape.decimal_mark == ',' ? DecimalMark::comma : DecimalMark::point;
    asked.thousands = shape.thousands;
    asked.strip = shape.strip;
    const Records records = read_text(text, asked, "x.csv");
    REQUIRE(records.values.column("x").type() == Column::Type::number);
    for (std::size_t i = 0; i < values.size(); ++i) {
      CHECK(records.values.column("x").numbers()[i] == values[i]);
    }
  }
}

TEST_CASE("a grouping mark stands between groups, or the text is no number", "[notation]") {
  const NumberShape grouped{'.', ",", ""};
  for (const char* text : {",123", "1,23", "1,2345", "1,234,", "1,,234", "1234,567", "1,234.5,6",
                           "12,34,56", "-,123", "1,234 567"}) {
    INFO(text);
    CHECK(detail::read_number(text, grouped).kind == NumberReading::Kind::unreadable);
  }
  CHECK(detail::read_number("1,234", grouped).integer == 1234);
  CHECK(detail::read_number("-1,234,567", grouped).integer == -1'234'567);
  CHECK(detail::read_number("123", grouped).integer == 123);
}

}  // namespace zerobeat::testing
