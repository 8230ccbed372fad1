/// Cells of a result, gathered row by row.

#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/column.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What has no value is missing.
[[nodiscard]] Column column_of_texts(const std::vector<std::optional<std::string>>& cells);
[[nodiscard]] Column column_of_counts(const std::vector<std::optional<std::int64_t>>& cells);
/// What is not finite is missing.
[[nodiscard]] Column column_of_numbers(const std::vector<double>& cells);

/// Texts of a few words, each row's by its place among them.
[[nodiscard]] Column column_of_words(const std::vector<std::int32_t>& places,
                                     std::vector<std::string> words);
/// One text in all rows.
[[nodiscard]] Column column_of_one(std::size_t rows, const std::string& text);

/// A strand's readings of a column of numbers, NaN where one is missing; logarithms under
/// `multiply`: throws Error of kind usage, by column and time, of one that is not above 0.
[[nodiscard]] std::vector<double> readings_in(const Timeline& timeline, const Strand& strand,
                                              const Column& numbers, const std::string& name,
                                              bool multiply);

/// "level_m, north", for notes.
[[nodiscard]] std::string strand_title(const Strand& strand, const std::string& column);

/// What was found in columns of strands, as a picture of it needs it: `strand` and `column` by
/// their places, `at`, `value`, and whether it is `up`.
class MarkedRows {
 public:
  void add(std::size_t strand, std::size_t column, Instant at, double value, bool up);
  [[nodiscard]] Table table() const;

 private:
  std::vector<std::int64_t> strands_{}, columns_{}, up_{};
  std::vector<Instant> at_{};
  std::vector<double> values_{};
};

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
