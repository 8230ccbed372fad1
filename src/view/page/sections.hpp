/// The sections of a page, each in a file of its own.

#pragma once

#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Whether the sources can be trusted: in words, the account as a bar, and the findings.
std::string verdict_section(const PageContent& content);
/// A strip for each strand: what is there, what is missing, and where records were at fault.
std::string when_section(const PageContent& content);
/// Each column of each strand: its least and greatest in each piece of time, its histogram and its
/// statistics.
std::string columns_section(const PageContent& content);
/// What was done, as the ledger has it.
std::string steps_section(const PageContent& content);
/// Version, plan, and the files that were read and written.
std::string origin_section(const PageContent& content);

/// How many figures a page has at most, of all sources together.
inline constexpr std::size_t most_figures = 24;

/// "1,234 records".
std::string counted(std::int64_t n, const char* one, const char* more);

/// The account's name of a source.
std::string name_of(const PageSource& source);

/// A time as the page writes it: RFC 3339, or a number of its unit.
std::string time_of(Instant t, const PageSource& source);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
