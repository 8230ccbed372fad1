/// The account: what became of every record, from the first byte to the last.
///
/// Of a source: records read = kept + rejected + merged, and why. Of each step:
/// rows in, rows out, readings filled and clipped. A timeline carries the
/// accounts of all the sources that it came from.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <fmt/core.h>

#include <cstdint>
#include <memory>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/text.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct SourceAccount;

/// What one step did.
struct StepAccount {
  std::string step{};  ///< its name
  std::string what{};  ///< its options, as text
  std::int64_t rows_in = 0;
  std::int64_t rows_out = 0;
  std::int64_t cells_filled = 0;
  std::int64_t cells_clipped = 0;
  std::vector<std::string> notes{};  ///< what was left out, or is not as asked
  double seconds = 0;
  std::string series{};  ///< of a plan; empty outside of one

  friend bool operator==(const StepAccount&, const StepAccount&) = default;
};

/// The whole ledger of a Records or a Timeline. A value; copies share the sources' accounts. A
/// source that is null counts for nothing.
struct Account {
  std::vector<std::shared_ptr<const SourceAccount>> sources{};
  std::vector<StepAccount> steps{};

  /// Of all sources together.
  [[nodiscard]] std::int64_t records() const;
  [[nodiscard]] std::int64_t kept() const;
  [[nodiscard]] std::int64_t rejected() const;
  [[nodiscard]] std::int64_t merged() const;
  /// What the last step did. Throws Error of kind usage when there was none.
  [[nodiscard]] const StepAccount& last() const;
};

/// Adds what `other` has and `account` has not: each source and each step counts once.
void add_to(Account& account, const Account& other);

/// "tide_gauge.csv: 2880 records = 2871 kept + 9 rejected + 0 merged", the reasons below, and a
/// line for each step.
[[nodiscard]] std::string to_text(const Account& account);

}  // namespace v1
}  // namespace zerobeat

template <>
struct ZEROBEAT_API fmt::formatter<zerobeat::Account> {
  constexpr auto parse(format_parse_context& context) { return context.begin(); }
  auto format(const zerobeat::Account& account, format_context& context) const
      -> format_context::iterator;
};
