/// The rows that buckets come to.

#pragma once

#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/regular/resample.hpp>

#include "kernel/bucket/buckets.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// What is taken of a timeline's columns, and what is to be said of that.
struct Resampling {
  std::vector<Take> takes;
  std::vector<std::string> notes;
};

/// Throws Error when options contradict each other or name what the timeline does not have.
Resampling resampling_of(const Timeline& timeline, const Resample& options);

/// The rows of buckets of one length.
struct Level {
  Timeline::Parts parts;
  std::vector<std::string> notes;
};

/// `of` ends each note: which of several lengths it is about.
Level level_of(const Timeline& timeline, const Resample& options, const std::vector<Take>& takes,
               const Buckets& buckets, const std::string& of = {});

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
