/// Buckets: which rows of a timeline fall into which bucket.

#pragma once

#include <vector>
#include <zerobeat/regular/resample.hpp>

namespace zerobeat::detail {

/// One bucket of one strand: its edges, and the rows [begin, end) that fall into it.
struct Bucket {
  Instant start{}, stop{};
  std::size_t begin = 0, end = 0;
  bool partial = false;
};

/// The buckets of a timeline, strand by strand.
struct Buckets {
  std::vector<Bucket> all;
  std::vector<Strand> strands;                            ///< places in `all`
  std::vector<std::optional<Nanoseconds>> typical_steps;  ///< of each strand, when asked for
};

/// Throws Error when the options do not make a grid, or it has more than 10^9 buckets.
Buckets find_buckets(const Timeline& timeline, const Resample& options, bool with_typical_steps);

}  // namespace zerobeat::detail
