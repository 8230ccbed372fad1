/// What a step makes: the timeline that goes on, or a table that ends the series, and tables
/// beside it for options that name a file.

#pragma once

#include <concepts>
#include <optional>
#include <span>
#include <utility>
#include <vector>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/account.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {

/// A table that goes into a file of its own, such as the changes of a clip.
struct SideTable {
  OutFile file{};
  Table table{};
};

/// Either a timeline or a table, and what was done.
struct Made {
  std::optional<Timeline> timeline{};
  std::optional<Table> table{};
  std::vector<SideTable> beside{};
  StepAccount did{};

  Made(Timeline made)  // NOLINT: meant to convert
      : timeline(std::move(made)), did(timeline->account().last()) {}
  Made(Table made, StepAccount account) : table(std::move(made)), did(std::move(account)) {}
};

/// How many timelines a step takes.
struct Inputs {
  static constexpr std::size_t any = 10'000;

  std::size_t least = 1, most = 1;
};

/// A step that has `timeline | step` needs no more to be applied to one timeline.
template <typename S>
requires requires(const Timeline& in, const S& options) {
  { in | options } -> std::same_as<Timeline>;
}
Made apply(std::span<const Timeline> in, const S& options) { return Made(in[0] | options); }

}  // namespace zerobeat
