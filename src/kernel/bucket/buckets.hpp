/// Buckets: stretches of a strand's rows of which takes are taken.

#pragma once

#include <tbb/blocked_range.h>

#include <cstdint>
#include <optional>
#include <string>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/table/timeline.hpp>

#include "base/parallel.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// One bucket of one strand: its edges, and the rows [begin, end) that fall into it.
struct Bucket {
  Instant start{}, stop{};
  std::size_t begin = 0, end = 0;
  std::uint32_t strand = 0;
  bool partial = false;
};

/// The buckets of a timeline, strand by strand.
struct Buckets {
  std::vector<Bucket> all{};
  std::vector<Strand> strands{};                            ///< places in `all`
  std::vector<std::optional<Nanoseconds>> typical_steps{};  ///< of each strand, when asked for
  std::size_t outside = 0;                                  ///< records that are in no bucket
  std::size_t dropped = 0;                                  ///< partial buckets that were left out
  std::vector<std::string> notes{};                         ///< what else there is to say
};

/// Calls work(i, bucket) for each bucket, in parallel. Buckets do not depend on each other.
template <typename Work>
void for_each_bucket(const Buckets& buckets, Work&& work) {
  detail::parallel_for(tbb::blocked_range<std::size_t>(0, buckets.all.size(), 64),
                       [&](const tbb::blocked_range<std::size_t>& range) {
                         for (std::size_t i = range.begin(); i != range.end(); ++i) {
                           work(i, buckets.all[i]);
                         }
                       });
}

/// The same with memory that is kept from bucket to bucket: work(i, bucket, scratch).
template <typename Scratch, typename Work>
void for_each_bucket(const Buckets& buckets, Work&& work) {
  detail::parallel_for(tbb::blocked_range<std::size_t>(0, buckets.all.size(), 64),
                       [&](const tbb::blocked_range<std::size_t>& range) {
                         Scratch scratch;
                         for (std::size_t i = range.begin(); i != range.end(); ++i) {
                           work(i, buckets.all[i], scratch);
                         }
                       });
}

/// The typical step of each strand.
std::vector<std::optional<Nanoseconds>> typical_steps_of(const Timeline& timeline);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
