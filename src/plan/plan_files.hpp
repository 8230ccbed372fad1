/// The files of a plan: its own, and those that it includes.

#pragma once

#include <toml++/toml.h>

#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

struct PlanFile {
  std::string path;
  toml::table keys;
};

/// Parses a plan and, each before the file that names it, what it includes: the plan is the last.
/// Throws Error of kind input when a file is not there, of kind usage when it is no TOML or
/// includes itself.
std::vector<PlanFile> read_plan_files(const std::string& path);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
