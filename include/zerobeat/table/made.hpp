/// What a step makes: the timeline that goes on, or a table that ends the series, and tables
/// beside it for options that name a file.
///
/// Values: threads may read one at the same time; copies share what they hold.

#pragma once

#include <concepts>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <utility>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/account.hpp>
#include <zerobeat/table/material.hpp>
#include <zerobeat/table/step_timer.hpp>
#include <zerobeat/table/timeline.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// A table that goes into a file of its own, such as the changes of a clip.
struct SideTable {
  OutFile file{};
  Table table{};
};

/// A result without a time axis, and the account of the timeline that it came from, with what was
/// done at its end.
struct TableResult {
  Table table{};
  Account account{};
  MaterialMaker material{};  ///< of a picture of it
};

/// Either a timeline or a table, and what was done.
struct Made {
  std::optional<Timeline> timeline{};
  std::optional<Table> table{};
  std::vector<SideTable> beside{};
  StepAccount did{};
  MaterialMaker material{};  ///< of a picture of it

  Made(Timeline made)  // NOLINT: meant to convert
      : timeline(std::move(made)), did(timeline->account().last()) {}
  Made(Table made, StepAccount account) : table(std::move(made)), did(std::move(account)) {}
  Made(TableResult made)  // NOLINT
      : table(std::move(made.table)),
        did(made.account.last()),
        material(std::move(made.material)) {}
};

/// How many timelines a step takes.
struct Inputs {
  static constexpr std::size_t any = 10'000;

  std::size_t least = 1, most = 1;
};

namespace detail {

/// What a step made of `in`. A step that left no entry in the account, since it is a program's own
/// or returned what it was given, has one then, of its name and options.
[[nodiscard]] Made made_of(Timeline made, const Timeline& in, std::string_view step,
                           const std::string& what);

}  // namespace detail

/// A step that has `timeline | step` needs no more to be applied to one timeline.
template <typename S>
requires requires(const Timeline& in, const S& options) {
  { in | options } -> std::same_as<Timeline>;
}
[[nodiscard]] Made apply(std::span<const Timeline> in, const S& options) {
  return detail::made_of(in[0] | options, in[0], S::name, describe_options(options));
}

}  // namespace v1
}  // namespace zerobeat
