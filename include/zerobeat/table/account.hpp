/// The account: what became of every record, from the first byte to the last.
///
/// Of a source: records read = kept + rejected + merged, and why. Of each step:
/// rows in, rows out, readings filled and clipped. A timeline carries the
/// accounts of all the sources that it came from.

#pragma once

#include <fmt/format.h>

#include <cstdint>
#include <memory>
#include <string>
#include <vector>
#include <zerobeat/base/text.hpp>

namespace zerobeat {

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

/// The whole ledger of a Records or a Timeline. A value; copies share the sources' accounts.
struct Account {
  std::vector<std::shared_ptr<const SourceAccount>> sources{};
  std::vector<StepAccount> steps{};

  /// Of all sources together.
  std::int64_t records() const;
  std::int64_t kept() const;
  std::int64_t rejected() const;
  std::int64_t merged() const;
  /// What the last step did. Throws std::logic_error when there was none.
  const StepAccount& last() const;
};

/// Adds what `other` has and `account` has not: each source and each step counts once.
void add_to(Account& account, const Account& other);

/// "tide_gauge.csv: 2880 records = 2871 kept + 9 rejected + 0 merged", the reasons below, and a
/// line for each step.
std::string to_text(const Account& account);

}  // namespace zerobeat

template <>
struct fmt::formatter<zerobeat::Account> : fmt::formatter<std::string> {
  auto format(const zerobeat::Account& account, format_context& context) const {
    return fmt::formatter<std::string>::format(zerobeat::to_text(account), context);
  }
};
