/// Clipping outliers: readings beyond bounds brought to the bound, or made missing.
///
/// Threads may call these at the same time, on the same timelines.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/export.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {

/// Bounds that are quantiles of the readings: shares from 0 to 1.
struct Quantiles {
  double low = 0;
  double high = 1;
  friend bool operator==(const Quantiles&, const Quantiles&) = default;
};

/// Reads "0.1,0.9" or "10%,90%". Throws Error when the first is greater than the second.
void from_text(std::string_view text, Quantiles& out);
[[nodiscard]] std::string to_text(const Quantiles& quantiles);

template <>
inline constexpr bool takes_lists<Quantiles> = true;

/// Median ± k · 1.4826 · (median absolute deviation): of readings that spread normally, 1.4826 of
/// it is a standard deviation (Hampel 1974).
struct Spread {
  double k = 6;
  friend bool operator==(const Spread&, const Spread&) = default;
};
/// Mean ± k standard deviations.
struct Deviations {
  double k = 4;
  friend bool operator==(const Deviations&, const Deviations&) = default;
};
/// Quartiles, and k times what lies between them beyond each (Tukey 1977).
struct Fences {
  double k = 3;
  friend bool operator==(const Fences&, const Fences&) = default;
};

/// Each reads a number; throws Error unless it is above 0.
void from_text(std::string_view text, Spread& out);
void from_text(std::string_view text, Deviations& out);
void from_text(std::string_view text, Fences& out);
[[nodiscard]] std::string to_text(const Spread& rule);
[[nodiscard]] std::string to_text(const Deviations& rule);
[[nodiscard]] std::string to_text(const Fences& rule);

template <>
inline constexpr bool takes_numbers<Spread> = true;
template <>
inline constexpr bool takes_numbers<Deviations> = true;
template <>
inline constexpr bool takes_numbers<Fences> = true;

struct Clip {
  static constexpr std::string_view name = "clip";
  static constexpr std::string_view help = "bring outliers to a bound, or make them missing";
  static constexpr std::string_view example =
      "clip tide_gauge.csv --tolerate 1% --on level_m --spread 6 --window 3h --put missing";

  enum class Put { bound, missing, level, linear };
  /// What judges a reading: one of these; nothing stands for none given.
  using Rule = std::variant<std::monostate, Bounds, Quantiles, Spread, Deviations, Fences>;
  static constexpr std::string_view ways =
      "clip takes one of ‹bounds› LO,HI, ‹quantiles› P,Q, ‹spread› K, ‹deviations› K and ‹fences› "
      "K, "
      "or ‹stuck›";

  std::vector<std::string> on{};   ///< empty: every numeric column
  Rule by{};                       ///< Bounds{0, 4}, Spread{6}
  std::optional<Extent> stuck{};   ///< runs of equal readings so long are taken out but the first
  std::optional<Extent> window{};  ///< judged by a centred window; unset: by the whole strand
  std::int64_t min_count = 3;      ///< windows of fewer readings judge nothing
  Put put = Put::bound;            ///< what stands in the place of an outlier
  OutFile changes{};               ///< a file for every change, made beside the timeline
  bool flag = false;               ///< add a boolean column A_clipped for each
  bool band = false;               ///< add columns A_low and A_high for each: the bounds

  friend bool operator==(const Clip&, const Clip&) = default;
};

[[nodiscard]] constexpr auto enum_words(Clip::Put) {
  return std::array<std::string_view, 4>{"bound", "missing", "level", "linear"};
}

template <typename Visitor, OptionsOf<Clip> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "A,B", "which columns to clip; unset: every numeric column");
  visit("bounds", way<Bounds>(o.by, Clip::ways), "LO,HI",
        "readings beyond these are outliers; either may be left out: ,4");
  visit("quantiles", way<Quantiles>(o.by, Clip::ways), "P,Q",
        "readings beyond these quantiles are outliers; shares from 0 to 1");
  visit("spread", way<Spread>(o.by, Clip::ways), "K",
        "beyond median ± K · 1.4826 · (median absolute deviation): for spikes; 6 is a good one");
  visit("deviations", way<Deviations>(o.by, Clip::ways), "K",
        "beyond mean ± K · std; a spike widens both");
  visit("fences", way<Fences>(o.by, Clip::ways), "K",
        "beyond the quartiles by more than K times what lies between them");
  visit("stuck", o.stuck, "N|PERIOD",
        "of so many equal readings in a row, or of some for so long, all but the first are taken "
        "out, before outliers are judged");
  visit("window", o.window, "N|PERIOD",
        "judge by a centred window, what there is of it at an end; unset: by the whole strand");
  visit("min-count", o.min_count, "N", "windows of fewer readings judge nothing");
  visit("put", o.put, choices(o.put),
        "what stands in the place of an outlier: the bound, nothing, the centre of what judged it, "
        "or a line between its neighbours");
  visit("changes", o.changes, "FILE", "write every change: time,key,column,before,after");
  visit("flag", o.flag, "", "add a boolean column A_clipped for each");
  visit("band", o.band, "", "add columns A_low and A_high for each: what is no outlier");
}

/// One reading that was clipped.
struct ClipChange {
  Instant time{};
  std::optional<std::string> key{};
  std::string column{};
  double before = 0;
  std::optional<double> after{};  ///< unset: missing
  std::string why{};              ///< "stuck", or the word of what judged it: "spread"
};

/// Returns `timeline` with outliers clipped, strand by strand; what changed is added to `changes`
/// when given, column by column in order of rows.
///
/// Each reading is judged by all readings of its strand, or of the window around it, itself among
/// them; one on a bound is no outlier, missing readings count for nothing. Windows with fewer than
/// `min_count` readings judge nothing, nor do those without a spread (under Spread, Deviations and
/// Fences); the account counts the readings that went unjudged so.
///
/// `stuck`: in a run of at least so many equal readings, or one that lasts at least so long from
/// its first to its last, all but the first are taken out, and nothing is put in their place; a
/// missing reading ends no run. They judge nothing, and count as changed.
///
/// Put::level puts the centre of what judged the reading, the mean for Deviations, else the median
/// (for Bounds, the strand's); Put::linear the line by time between the nearest readings of the
/// strand that were no outliers, at an end the nearest. A column of integers becomes one of numbers
/// when what was put has a fraction, or lies beyond 2^53.
///
/// Cost: one pass for bounds; of a strand a selection; of windows of w readings log w a row,
/// log² w for Spread, for Deviations the same for any w.
/// Throws Error when nothing judges, when `window` goes with bounds or with `stuck` alone, and when
/// a number is out of its range.
[[nodiscard]] Timeline clip(const Timeline& timeline, const Clip& options,
                            std::vector<ClipChange>* changes = nullptr);

/// Clips, with the changes as a table beside it when `options.changes` names a file.
[[nodiscard]] Made apply(std::span<const Timeline> in, const Clip& options);

[[nodiscard]] Reach reach(const Clip& options);

inline Timeline operator|(const Timeline& timeline, const Clip& step) {
  return clip(timeline, step);
}

}  // namespace v1
}  // namespace zerobeat
