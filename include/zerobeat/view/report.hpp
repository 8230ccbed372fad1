/// Reports: what judging found, for people and for programs.

#pragma once

#include <string>
#include <zerobeat/clean/judge.hpp>

namespace zerobeat {

/// An aligned report: the account, the strands, the columns, and the findings, the worst first.
std::string report_text(const Judgement& judgement);

/// The same as JSON, one object, indented by two spaces.
std::string report_json(const Judgement& judgement);

}  // namespace zerobeat
