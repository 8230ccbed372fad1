/// Limits: how many records may be at fault before nothing is written.
///
/// Nothing is dropped without the user's say. When records are at fault, the user
/// either has them set aside in a file, or says how many are tolerable.
///
/// Threads may call these at the same time, each with outputs of its own.

#pragma once

#include <optional>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/io/output.hpp>
#include <zerobeat/judge/source_account.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// So many records, or so many of a hundred.
struct Tolerable {
  double number = 0;
  bool percent = false;

  friend bool operator==(const Tolerable&, const Tolerable&) = default;
};

template <>
inline constexpr bool takes_numbers<Tolerable> = true;

/// Reads "12" or "0.5%".
void from_text(std::string_view text, Tolerable& out);
[[nodiscard]] std::string to_text(const Tolerable& tolerable);

struct Limits {
  OutFile rejects{};                    ///< a file for rejected records and unreadable readings
  std::optional<Tolerable> tolerate{};  ///< go on when at most so many records are at fault

  friend bool operator==(const Limits&, const Limits&) = default;
};

template <typename Visitor, OptionsOf<Limits> O>
void fields(Visitor&& visit, O& o) {
  visit("rejects", o.rejects, "FILE",
        "set rejected records and unreadable readings aside: line,byte,column,reason,text");
  visit("tolerate", o.tolerate, "N|P%",
        "go on when at most so many records are rejected or have an unreadable reading");
}

/// Throws Error of kind limit when records of the source are at fault and neither a rejects file
/// nor a tolerance was given, or the tolerance (inclusive) was passed. The message names the first
/// few and the ways to go on.
void check_limits(const SourceAccount& account, const Limits& limits);

/// Writes the header and the faults of a source: line,byte,column,reason,text, and before them the
/// file when the source may be several. A row has no byte. Does not commit.
void write_rejects_header(const SourceAccount& account, Output& output);
void write_rejects(const SourceAccount& account, Output& output);

}  // namespace v1
}  // namespace zerobeat
