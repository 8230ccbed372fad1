/// Tuning: how far one clock is off another is found from what both saw, and taken out.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

struct Tune {
  static constexpr std::string_view name = "tune";
  static constexpr std::string_view help = "two clocks brought together by what both saw";
  static constexpr std::string_view example =
      "tune ice_store.csv --key probe --against cold_1 --on temperature_c --drift";
  static constexpr Inputs inputs{1, 2};

  std::string on{};                       ///< the reference's column; must be given
  std::string with{};                     ///< the other's; empty: of the same name
  std::string against{};                  ///< of one timeline: the strand that is the reference
  Period within = std::chrono::hours(1);  ///< how far a clock may be off, either way
  bool drift = false;                     ///< it may gain or lose, too
  double least = 0.5;                     ///< the match below which nothing is tuned
  OutFile found{};                        ///< what was found, as a table

  friend bool operator==(const Tune&, const Tune&) = default;
};

template <typename Visitor, OptionsOf<Tune> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "COLUMN", "the reference's column that both see");
  visit("with", o.with, "COLUMN", "the other's column; unset: of the same name");
  visit("against", o.against, "KEY",
        "of one source: the strand whose clock is right; every other is brought to it");
  visit("within", o.within, "PERIOD", "how far a clock may be off, either way");
  visit("drift", o.drift, "", "the clock may gain or lose, too, up to 1000 parts in a million");
  visit("least", o.least, "MATCH", "the correlation below which nothing is tuned");
  visit("found", o.found, "FILE",
        "what was found, as a table: key, offset_s, offset_se_s, drift_ppm, drift_se_ppm, at, "
        "match_before, match_after, readings");
}

/// What was found of one strand's clock.
struct Tuning {
  std::optional<std::string> key{};
  double offset_s = 0;     ///< how far its clock is ahead of the reference's at `at`
  double offset_se_s = 0;  ///< the standard error of that
  double drift_ppm = 0;    ///< how fast it gains
  double drift_se_ppm = 0;
  Instant at{};  ///< by the strand's own clock: the middle of the time that both share
  std::optional<double> match_before{};  ///< the correlation of the two where they meet
  std::optional<double> match_after{};   ///< and when the times are set right
  std::int64_t readings = 0;             ///< that meet then
};

/// What comparing one strand's clock with its reference came to.
struct ClockComparison {
  Tuning tuning{};          ///< whatever was found; its offset is 0 when nothing was
  std::string refused{};    ///< why the two are no match, in words; empty: they are one
  std::int64_t spikes = 0;  ///< readings that were passed over
};

/// A timeline whose times were set right, and by how much.
struct Tuned {
  Timeline timeline;
  std::vector<Tuning> found{};
};

/// Returns `other` with its times set right by `reference`, strand by strand: a time t becomes
/// t − offset − drift · 10⁻⁶ · (t − at), to the nearest nanosecond. Strands go together by key; a
/// reference without a key serves every strand.
///
/// The two need not be sampled alike, regularly or at the same rate, and may read in different
/// units, or along a curve that rises. What is slower than twelve times `within`, and than two
/// hundred coarser steps, may differ between them, unless little is alike without it: then less is
/// taken off, by fours. What they share must be slower than the coarser typical step. Missing
/// readings are passed over, and so are spikes: readings further from the median of the five around
/// them than ten times what is usual and than three times the spread of the whole; the account
/// counts them.
///
/// Method: both are smoothed, their slow parts taken off, and correlated by windows (Fourier
/// transforms), which are added up along lines of offset and drift; from each peak Gauss and
/// Newton's method minimises the squared differences (Huber's weights) between the readings of the
/// coarser source and a smooth line through those of the finer (Lucas, Kanade 1981, in one
/// dimension), with a scale and a slowly changing level between the two. Standard errors come from
/// the scatter of blocks of time (Liang, Zeger 1986). When the other's scale is curved, it is
/// straightened by what the reference says where the two meet, and the fit is made again.
///
/// A match is Pearson's correlation of the other's readings with the reference's line there, over
/// steps of at most three typical ones.
///
/// Cost: n log n for n readings, and a few dozen passes over at most 20,000 of them.
/// Throws Error of kind limit, and tunes no strand, when one is no match: fewer than ten readings,
/// no common time, no peak within `within` or a match below `least`, nothing that could not be
/// chance, or several offsets that fit nearly as well (which it names). So it does when the
/// reference lacks a strand. Of kind usage when a column is absent or not numeric, or the axes are
/// not of one kind or count steps.
[[nodiscard]] Tuned tune(const Timeline& reference, const Timeline& other, const Tune& options);

/// Returns `timeline` with every strand but options.against set right by that one.
[[nodiscard]] Tuned tune(const Timeline& timeline, const Tune& options);

/// What tune() would find, in the order of the other's strands; those that it would refuse, too.
/// Throws Error of kind usage as tune() does.
[[nodiscard]] std::vector<ClockComparison> compare_clocks(const Timeline& reference,
                                                          const Timeline& other,
                                                          const Tune& options);
/// Of one timeline: of every strand but options.against.
[[nodiscard]] std::vector<ClockComparison> compare_clocks(const Timeline& timeline,
                                                          const Tune& options);

/// What was found as a table: key, offset_s, offset_se_s, drift_ppm, drift_se_ppm, at,
/// match_before, match_after, readings. The axis is that of the times.
[[nodiscard]] Table table_of(std::span<const Tuning> found, const Axis& axis);

/// How alike two sources are when one's clock is taken to be off by so much.
struct MatchCurve {
  std::vector<double> offsets_s{};  ///< ascending, from −within to within
  std::vector<std::optional<double>> matches{};
};

/// Of the strand of `other` that `found` is of, and the one that goes with it (options.against,
/// when it is given, of `reference`), its drift taken out.
/// Cost: `points` times the readings, of which at most 20,000 are used.
MatchCurve match_curve(const Timeline& reference, const Timeline& other, const Tune& options,
                       const Tuning& found, std::size_t points = 401);

[[nodiscard]] Made apply(std::span<const Timeline> in, const Tune& options);

/// What a picture shows when a strand is no match: the times as they are, what was found of each
/// strand, and in the account why it is none.
[[nodiscard]] Made look(std::span<const Timeline> in, const Tune& options);

/// Of the whole strand on both sides.
[[nodiscard]] Reach reach(const Tune& options);

}  // namespace v1
}  // namespace zerobeat
