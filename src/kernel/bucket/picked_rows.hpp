/// Statistics that are one of a bucket's own readings, or count them.

#pragma once

#include <cstdint>
#include <zerobeat/base/export.hpp>
#include <zerobeat/take/take.hpp>

#include "kernel/bucket/buckets.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// A reading as a whole number: equal readings have equal ones, and smaller readings smaller ones,
/// but for texts, whose numbers are places in the dictionary.
std::uint64_t reading_number(const Column& column, std::size_t row);

/// The row that holds a bucket's first, last, most frequent, least or greatest reading; -1: none.
std::int64_t picked_row(const Column& column, const Bucket& bucket, Stat stat);

std::int64_t count_distinct(const Column& column, const Bucket& bucket);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
