/// What a step did and how long it took, for the account.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <chrono>
#include <cstdint>
#include <string>
#include <utility>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/check_options.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Notes what a step did, and how long it took, from its construction on.
class StepTimer {
 public:
  /// Of a step with these options: its name and theirs, when they are such as a step may have.
  /// Throws Error of kind usage when they are not: see check_options().
  template <typename Options>
  StepTimer(const Options& options, const Timeline& in)
      : StepTimer(options, static_cast<std::int64_t>(in.rows())) {}
  template <typename Options>
  StepTimer(const Options& options, std::int64_t rows_in)
      : StepTimer(std::string(Options::name), detail::checked_text(options), rows_in) {}
  StepTimer(std::string step, std::string what, const Timeline& in)
      : StepTimer(std::move(step), std::move(what), static_cast<std::int64_t>(in.rows())) {}
  StepTimer(std::string step, std::string what, std::int64_t rows_in) {
    account_.step = std::move(step);
    account_.what = std::move(what);
    account_.rows_in = rows_in;
  }

  void filled(std::int64_t cells) { account_.cells_filled += cells; }
  void clipped(std::int64_t cells) { account_.cells_clipped += cells; }

  void note(std::string text) { account_.notes.push_back(std::move(text)); }

  /// The timeline of these parts, with this step's entry at the end of its account.
  Timeline finish(Timeline::Parts parts);
  /// This step's entry, of a step that makes a table of so many rows.
  StepAccount finish(std::int64_t rows_out);
  /// The account of `in` with that entry at its end.
  Account finish(const Timeline& in, std::int64_t rows_out);

 private:
  StepAccount account_;
  std::chrono::steady_clock::time_point start_ = std::chrono::steady_clock::now();
};

}  // namespace v1
}  // namespace zerobeat
