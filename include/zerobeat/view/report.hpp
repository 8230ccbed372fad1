/// Reports: what judging found, for people and for programs.
///
/// Threads may call these at the same time, each with a file of its own.

#pragma once

#include <span>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/io/digest.hpp>
#include <zerobeat/judge/judge.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// How a report looks.
struct ReportLook {
  std::size_t width = 0;  ///< columns of the terminal; 0: as wide as it comes
  bool color = false;     ///< the kinds of findings by how bad they are
};

/// An aligned report: the account, the findings, the worst first, the strands, the gaps by month
/// and hour, and the columns.
[[nodiscard]] std::string report_text(const Judgement& judgement, const ReportLook& look = {});

/// Where results came from, so that two can be told to be of the same run.
struct Origin {
  std::string version{};            ///< of the library
  std::string plan{};               ///< the text of one that does the same
  std::vector<UsedFile> inputs{};   ///< that were read
  std::vector<UsedFile> outputs{};  ///< that were written
};

/// An account as JSON: `sources`, each with records = kept + rejected + merged and the reasons, and
/// `steps`, in order, each with rows in and out, readings filled and clipped; and, when it is
/// given, `run`: version, plan, inputs and outputs with their bytes and SHA-256.
[[nodiscard]] std::string account_json(const Account& account, const Origin* origin = nullptr);

/// A judgement as JSON, one object, indented by two spaces.
[[nodiscard]] std::string report_json(const Judgement& judgement);
/// Of several sources an array of them; of one the object.
[[nodiscard]] std::string report_json(std::span<const Judgement> judgements);

}  // namespace v1
}  // namespace zerobeat
