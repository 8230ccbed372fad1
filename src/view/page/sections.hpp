/// The sections of a page, each in a file of its own.

#pragma once

#include <functional>
#include <span>
#include <string>
#include <zerobeat/base/export.hpp>
#include <zerobeat/view/page.hpp>

#include "view/page/calendar_means.hpp"
#include "view/page/pair.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Whether the sources can be trusted: in words, the account as a bar, and the findings.
std::string verdict_section(const PageContent& content);
/// A strip for each strand: what is there, what is missing, and where records were at fault.
std::string when_section(const PageContent& content);
/// Each column of each strand: its least and greatest in each piece of time, its histogram, its
/// week and its statistics; what its script needs takes so many bytes.
std::string columns_section(const PageContent& content, const Pairs& pairs,
                            std::span<const CalendarMeans> means, std::size_t bytes);
/// Means of each column of each strand by year, and of what lies in each.
std::string drill_section(const Pairs& pairs, std::span<const CalendarMeans> means,
                          std::span<const CalendarDays> days);
/// What was done: what flows where, the ledger, the stretches that changed most, and the changes.
std::string steps_section(const PageContent& content);
/// Version, plan, and the files that were read and written.
std::string origin_section(const PageContent& content);

/// How many figures a page has at most, of all sources together.
inline constexpr std::size_t most_figures = 24;

/// What a section says of each source, those of the worst findings first when it has no room for
/// all of them; and how many are left out.
std::string of_sources(const PageContent& content, std::size_t room,
                       const std::function<std::string(const PageSource&)>& told);

/// "1,234 records".
std::string counted(std::int64_t n, const char* one, const char* more);

/// The account's name of a source.
std::string name_of(const PageSource& source);

/// A time as the page writes it: RFC 3339, or a number of its unit.
std::string time_of(Instant t, const PageSource& source);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
