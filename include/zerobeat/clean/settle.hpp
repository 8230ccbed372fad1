/// Settling: records put in order, and what to do with several of one time.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <concepts>
#include <span>
#include <string>
#include <string_view>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/judge/records.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// What becomes of records of one key and one time.
enum class Duplicates {
  keep,    ///< all stay, in order of arrival
  first,   ///< the first whole record stays, the others are merged into it
  last,    ///< the last whole record stays
  mean,    ///< one record: the mean of numeric readings, the first of others
  reject,  ///< the first stays, the others are rejected as duplicate-time
};
[[nodiscard]] constexpr auto enum_words(Duplicates) {
  return std::array<std::string_view, 5>{"keep", "first", "last", "mean", "reject"};
}

struct Settle {
  static constexpr std::string_view name = "settle";
  static constexpr std::string_view help = "put records in order; deal with duplicates";
  static constexpr std::string_view example = "settle ice_store.csv --key probe --duplicates first";

  Duplicates duplicates = Duplicates::keep;  ///< records of one key and one time
  std::string key{};  ///< strands by this column, or by a pair of them, A+B; empty: as they are
  OutFile merged{};   ///< where the records that are taken away are listed; empty: nowhere

  friend bool operator==(const Settle&, const Settle&) = default;
};

template <typename Visitor, OptionsOf<Settle> O>
void fields(Visitor&& visit, O& o) {
  visit("duplicates", o.duplicates, choices(o.duplicates),
        "what becomes of records of one key and one time");
  visit("key", o.key, "COL",
        "one strand per value of this column, or per pair of values: A+B; in a later part, of the "
        "rows from there on, the old key's columns being columns again");
  visit("merged", o.merged, "FILE",
        "list the records that were taken away as duplicates: source,line,byte,KEY,time");
}

/// Returns the records strand by strand, in order of first appearance, each in order of time;
/// records of one time keep their order of arrival.
///
/// Cost: linear for records in order, which then are shared, not copied; else a stable sort of
/// each strand that is out of order, and one copy of each column. Never throws over data.
[[nodiscard]] Timeline settle(const Records& records, const Settle& options = {});

/// The same for a timeline that is in order already: with a key, its strands are those of that
/// column (or pair) from here on, in order of their first row, rows of one time in the order in
/// which they were; the old key's columns come after the other ones. Rows without a key are left
/// out. Then rows of one key and one time become one. What is taken away is in the step's notes;
/// the records' own account is of their reading.
/// Throws Error of kind usage when a key's column is absent.
[[nodiscard]] Timeline settle(const Timeline& timeline, const Settle& options);

/// What was settled, and which records were taken away, as a table: `source`, `line` and `byte` (of
/// rows of a timeline missing), the key's columns, and the time.
[[nodiscard]] Made settle_and_list(const Records& records, const Settle& options);
[[nodiscard]] Made settle_and_list(const Timeline& timeline, const Settle& options);

[[nodiscard]] inline Made apply(std::span<const Timeline> in, const Settle& options) {
  return settle_and_list(in[0], options);
}

inline Timeline operator|(const Timeline& timeline, const Settle& step) {
  return settle(timeline, step);
}

inline Timeline operator|(const Records& records, const Settle& step) {
  return settle(records, step);
}

/// Records settle by themselves when a step of timelines is applied to them.
template <std::same_as<Records> R, typename Step>
requires requires(const Timeline& timeline, const Step& step) {
  { timeline | step } -> std::same_as<Timeline>;
}
Timeline operator|(const R& records, const Step& step) { return settle(records) | step; }

/// It looks at the records of one instant only; putting them in order takes the whole source.
[[nodiscard]] inline Reach reach(const Settle&) { return {}; }

}  // namespace v1
}  // namespace zerobeat
