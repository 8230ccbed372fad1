/// Clipping outliers: readings beyond bounds brought to the bound, or made missing.

#pragma once

#include <array>
#include <optional>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/bounds.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/made.hpp>
#include <zerobeat/table/reach.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/time/period.hpp>

namespace zerobeat {

/// Bounds that are quantiles of the readings: shares from 0 to 1.
struct Quantiles {
  double low = 0;
  double high = 1;
  friend bool operator==(const Quantiles&, const Quantiles&) = default;
};

/// Reads "0.1,0.9" or "10%,90%". Throws Error when the first is greater than the second.
void from_text(std::string_view text, Quantiles& out);
std::string to_text(const Quantiles& quantiles);

template <>
inline constexpr bool takes_lists<Quantiles> = true;

struct Clip {
  static constexpr std::string_view name = "clip";
  static constexpr std::string_view help = "bring outliers to a bound, or make them missing";
  static constexpr std::string_view example =
      "clip tide_gauge.csv --tolerate 1% --on level_m --quantiles 0.05,0.95 --window 1h30min";

  enum class Put { bound, missing };
  /// What judges a reading: one of these; nothing stands for none given.
  using Rule = std::variant<std::monostate, Bounds, Quantiles>;
  static constexpr std::string_view ways = "clip takes one of --bounds LO,HI and --quantiles P,Q";

  std::vector<std::string> on{};   ///< empty: every numeric column
  Rule by{};                       ///< Bounds{0, 4}, Quantiles{0.05, 0.95}
  std::optional<Extent> window{};  ///< quantiles of a centred window; unset: the whole strand
  Put put = Put::bound;            ///< what stands in the place of an outlier
  OutFile changes{};               ///< a file for every change, made beside the timeline
  bool flag = false;               ///< add a boolean column A_clipped for each

  friend bool operator==(const Clip&, const Clip&) = default;
};

constexpr auto enum_words(Clip::Put) { return std::array<std::string_view, 2>{"bound", "missing"}; }

template <typename Visitor, OptionsOf<Clip> O>
void fields(Visitor&& visit, O& o) {
  visit("on", o.on, "A,B", "which columns to clip; unset: every numeric column");
  visit("bounds", way<Bounds>(o.by, Clip::ways), "LO,HI",
        "readings beyond these are outliers; either may be left out: ,4");
  visit("quantiles", way<Quantiles>(o.by, Clip::ways), "P,Q",
        "readings beyond these quantiles are outliers; shares from 0 to 1");
  visit("window", o.window, "N|PERIOD",
        "quantiles of a centred window, what there is of it at an end; unset: of the whole strand");
  visit("put", o.put, choices(o.put), "what stands in the place of an outlier");
  visit("changes", o.changes, "FILE", "write every change: time,key,column,before,after");
  visit("flag", o.flag, "", "add a boolean column A_clipped for each");
}

/// One reading that was clipped.
struct ClipChange {
  Instant time{};
  std::optional<std::string> key{};
  std::string column{};
  double before = 0;
  std::optional<double> after{};  ///< unset: missing
};

/// Returns `timeline` with outliers clipped, strand by strand; what changed is added to `changes`
/// when given, column by column in order of rows.
///
/// A reading on a bound is no outlier. Quantiles are linear between order statistics, of the
/// strand's own readings or of the window around each row; missing readings count for nothing.
/// Under Put::bound a column of integers becomes one of numbers when a bound that was put has a
/// fraction.
///
/// Cost: one pass for bounds; a selection for quantiles of a strand; for those of a window of w
/// readings log w a row.
/// Throws Error when nothing judges, and when `window` goes with
/// bounds.
Timeline clip(const Timeline& timeline, const Clip& options,
              std::vector<ClipChange>* changes = nullptr);

/// Clips, with the changes as a table beside it when `options.changes` names a file.
Made apply(std::span<const Timeline> in, const Clip& options);

Reach reach(const Clip& options);

inline Timeline operator|(const Timeline& timeline, const Clip& step) {
  return clip(timeline, step);
}

}  // namespace zerobeat
