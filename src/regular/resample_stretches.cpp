// Buckets of a timeline that comes stretch by stretch: those that are over are taken, the rows of
// each strand's last one are held back for the next stretch.

#include <algorithm>
#include <chrono>
#include <memory>
#include <string>
#include <unordered_map>
#include <utility>
#include <vector>
#include <zerobeat/regular/resample.hpp>
#include <zerobeat/table/step_timer.hpp>

#include "kernel/bucket/taken.hpp"
#include "regular/buckets.hpp"
#include "regular/resample_level.hpp"
#include "take/definitions.hpp"
#include "time/wide_instant.hpp"

namespace zerobeat::inline v1 {

namespace {

using detail::Bucket;
using detail::Buckets;

/// Buckets that a row's time alone decides about, and takes that are of a bucket's own readings.
bool go_by_stretches(const Resample& options) {
  const bool plain = options.span.kind == BucketSpan::Kind::own && !options.hours &&
                     !options.days.given() && options.partial == Resample::Partial::keep &&
                     !options.min_count && !options.min_coverage &&
                     detail::levels_of(options).size() == 1;
  constexpr Stat increase = detail::stat_of<detail::definition::Increase>();
  return plain && std::ranges::none_of(options.take, [](const Take& take) {
           return detail::goes_by_standing(take.stat) || take.stat == increase;
         });
}

/// Whether the buckets of a stretch are many times its rows, mostly empty ones: then what comes of
/// them is what takes memory, and the whole may be refused.
bool are_mostly_empty(const Timeline& stretch, const Resample& options) {
  if (options.empty == Resample::Empty::skip) return false;
  const Period period = detail::levels_of(options)[0];
  constexpr double day = 86'400e9, shortest_month = 28 * day;
  const double length = static_cast<double>(period.months) * shortest_month +
                        static_cast<double>(period.days) * day +
                        static_cast<double>(period.nanoseconds.count());
  double buckets = 0;
  for (const Strand& strand : stretch.strands()) {
    if (strand.size() == 0) continue;
    const Instant first = stretch.times()[strand.begin], last = stretch.times()[strand.end - 1];
    buckets += 1 + detail::seconds_between(first, last) * 1e9 / length;
  }
  constexpr double many = 16, few = 1 << 20;
  return buckets > std::max(few, many * static_cast<double>(stretch.rows()));
}

class ResampleStretches {
 public:
  explicit ResampleStretches(Resample options) : options_(std::move(options)) {}

  std::optional<std::vector<Instant>> take(const Timeline& stretch, bool is_last) {
    const auto start = std::chrono::steady_clock::now();
    auto held = taken(stretch, is_last);
    seconds_ += std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    return held;
  }

  Made finish(const Timeline& head, std::int64_t rows_in) {
    StepTimer timer(options_, rows_in);
    for (auto& note : resampling_->notes) timer.note(std::move(note));
    Timeline::Parts parts = head.parts();
    std::vector<std::int64_t> order;
    if (strands_.size() > 1) order = by_strand();
    const auto together = [&](const std::vector<Column>& pieces) {
      const Column column = concatenate(pieces);
      return order.empty() ? column : column.gather(order);
    };
    std::size_t at = 0;
    parts.strands.clear();
    for (const StrandSoFar& strand : strands_) {
      parts.strands.push_back({strand.key, at, at + strand.rows});
      at += strand.rows;
    }
    parts.times = together(times_);
    parts.values = Table(at);
    for (std::size_t k = 0; k < names_.size(); ++k)
      parts.values.add(names_[k], together(values_[k]));
    Made made = timer.finish(std::move(parts));
    made.did.seconds += seconds_;
    return made;
  }

 private:
  struct StrandSoFar {
    std::optional<std::string> key{};
    std::size_t rows = 0;
    Instant done_until = Instant::min();  ///< no row before it can be taken any more
    bool any = false;                     ///< there is such a time
  };

  std::optional<std::vector<Instant>> taken(const Timeline& stretch, bool is_last) {
    if (!resampling_) {
      resampling_ = detail::resampling_of(stretch, options_);
      types_ = types_of(stretch);
    } else if (types_of(stretch) != types_) {
      return std::nullopt;
    }
    if (are_mostly_empty(stretch, options_)) return std::nullopt;
    Buckets buckets =
        detail::find_buckets(stretch, options_, detail::levels_of(options_)[0], false);
    if (!buckets.notes.empty()) return std::nullopt;
    if (!note_strands(stretch)) return std::nullopt;
    auto held = close(stretch, buckets, is_last);
    detail::Level level = detail::level_of(stretch, options_, resampling_->takes, buckets);
    if (!level.notes.empty()) return std::nullopt;
    add(std::move(level));
    return held;
  }

  static std::vector<Column::Type> types_of(const Timeline& timeline) {
    std::vector<Column::Type> types;
    for (const Column& column : timeline.values().columns()) types.push_back(column.type());
    return types;
  }

  /// Finds the place of each of the stretch's strands; false when one has a row too late.
  bool note_strands(const Timeline& stretch) {
    places_.clear();
    for (const Strand& strand : stretch.strands()) {
      const auto [at, added] = place_of_.emplace(strand.key.value_or(""), strands_.size());
      if (added) strands_.push_back({strand.key});
      const StrandSoFar& so_far = strands_[at->second];
      places_.push_back(at->second);
      if (!so_far.any || strand.size() == 0) continue;
      const Instant first = stretch.times()[strand.begin];
      const bool at_end = options_.edge == Resample::Edge::end;
      if (at_end ? first <= so_far.done_until : first < so_far.done_until) return false;
    }
    return true;
  }

  /// Takes the last bucket of each strand out, whose rows are held back.
  std::vector<Instant> close(const Timeline& stretch, Buckets& buckets, bool is_last) {
    std::vector<Instant> held(buckets.strands.size(), Instant::max());
    if (is_last) return held;
    std::size_t to = 0;
    for (std::size_t s = 0; s < buckets.strands.size(); ++s) {
      Strand& strand = buckets.strands[s];
      const std::size_t from = strand.begin, until = strand.end;
      strand.begin = to;
      if (until > from) {
        const Bucket& open = buckets.all[until - 1];
        held[s] = stretch.times()[open.begin];
        strands_[places_[s]].done_until = open.start;
        strands_[places_[s]].any = true;
        for (std::size_t i = from; i + 1 < until; ++i) buckets.all[to++] = buckets.all[i];
      }
      strand.end = to;
    }
    buckets.all.resize(to);
    return held;
  }

  void add(detail::Level level) {
    if (names_.empty()) {
      names_ = level.parts.values.names();
      values_.resize(names_.size());
    }
    for (std::size_t s = 0; s < level.parts.strands.size(); ++s) {
      const std::size_t rows = level.parts.strands[s].size();
      strands_[places_[s]].rows += rows;
      if (rows > 0) pieces_.push_back({places_[s], rows});
    }
    times_.push_back(std::move(level.parts.times));
    for (std::size_t k = 0; k < names_.size(); ++k) {
      values_[k].push_back(level.parts.values.columns()[k]);
    }
  }

  /// The rows of all pieces, strand by strand.
  std::vector<std::int64_t> by_strand() const {
    std::vector<std::size_t> next;
    std::size_t rows = 0;
    for (const StrandSoFar& strand : strands_) {
      next.push_back(rows);
      rows += strand.rows;
    }
    std::vector<std::int64_t> order(rows);
    std::int64_t row = 0;
    for (const Piece& piece : pieces_) {
      for (std::size_t i = 0; i < piece.rows; ++i) order[next[piece.strand]++] = row++;
    }
    return order;
  }

  /// Rows of one strand, as they came.
  struct Piece {
    std::size_t strand = 0, rows = 0;
  };

  Resample options_;
  std::optional<detail::Resampling> resampling_{};
  std::vector<Column::Type> types_{};
  std::vector<StrandSoFar> strands_{};  ///< in order of first appearance
  std::unordered_map<std::string, std::size_t> place_of_{};
  std::vector<std::size_t> places_{};  ///< of the stretch's strands
  std::vector<Piece> pieces_{};
  std::vector<Column> times_{};
  std::vector<std::string> names_{};
  std::vector<std::vector<Column>> values_{};
  double seconds_ = 0;
};

}  // namespace

std::optional<StretchWork> begin_stretches(const Resample& options) {
  if (!go_by_stretches(options)) return std::nullopt;
  const auto stretches = std::make_shared<ResampleStretches>(options);
  return StretchWork{[stretches](const Timeline& stretch, bool is_last) {
                       return stretches->take(stretch, is_last);
                     },
                     [stretches](const Timeline& head, std::int64_t rows_in) {
                       return stretches->finish(head, rows_in);
                     }};
}

}  // namespace zerobeat
