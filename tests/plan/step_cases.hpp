/// Every step of the table, in the ways that its reach and its kernels depend on.

#pragma once

#include <algorithm>
#include <zerobeat/plan/step.hpp>

#include "support/strand.hpp"

namespace zerobeat::testing {

/// A step in one of the ways that its reach depends on.
struct Case {
  const char* step;
  std::vector<std::pair<const char*, const char*>> options;
};

inline Step step_of(const Case& step_case) {
  Step step = make_step(step_case.step);
  auto options = step.options();
  for (const auto& [name, value] : step_case.options) {
    const auto option = std::ranges::find(options, name, &BoundOption::name);
    REQUIRE(option != options.end());
    option->set(value);
  }
  return step;
}

inline const std::vector<Case>& cases() {
  static const std::vector<Case> all{
      {"settle", {}},
      {"settle", {{"duplicates", "mean"}}},
      {"select", {{"where", "level > 1 or kg = 7"}}},
      {"select", {{"where", "level > level@first"}}},
      {"select", {{"hours", "00:00-06:00"}, {"columns", "kg"}}},
      {"select", {{"first", "3h"}}},
      {"select", {{"last", "3h"}}},
      {"compute", {{"set", "a=level*2+kg,b=coalesce(a,row())"}}},
      {"compute", {{"set", "a=kg/level@last"}, {"only", "true"}}},
      {"resample", {{"every", "7min"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "end"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "end"}, {"edge", "end"}}},
      {"resample", {{"every", "7min"}, {"empty", "skip"}, {"row-at", "middle"}}},
      {"resample", {{"every", "7min"}, {"row-at", "end"}}},
      {"resample", {{"every", "7min,1h"}, {"empty", "skip"}, {"row-at", "end"}}},
      {"resample", {{"every", "1h"}, {"take", "twmean(level),up(level)"}}},
      {"resample", {{"by-count", "5"}}},
      {"resample", {{"every", "7min"}, {"span", "all"}}},
      {"resample", {{"every", "1h"}, {"take", "increase(level)"}}},
      {"expect", {{"rows", "1.."}}},
      {"append", {}},
      {"append", {{"key-from", "source"}}},
      {"settle", {{"key", "kg"}}},
      {"thin", {{"points", "9"}}},
      {"reshape", {{"into", "long"}}},
      {"join", {{"tolerance", "3min"}}},
      {"join", {{"tolerance", "3min"}, {"keep", "all"}}},
      {"join", {{"match", "next"}, {"tolerance", "3min"}, {"keep", "all"}}},
      {"join", {{"match", "earlier"}, {"tolerance", "3min"}, {"age", "true"}}},
      {"join", {{"match", "nearest"}, {"tolerance", "3min"}}},
      {"join", {{"match", "exact"}, {"keep", "all"}}},
      {"join", {{"match", "linear"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "union"}, {"how", "previous"}}},
      {"align", {{"onto", "union"}, {"how", "next"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "common"}, {"tolerance", "3min"}}},
      {"align", {{"onto", "7min"}}},
      {"shift", {{"by", "7min"}}},
      {"shift", {{"by", "-7min"}}},
      {"shift", {{"drift", "40"}, {"at", "2025-10-20T06:00:00Z"}}},
      {"shift", {{"to-event", "level > 1"}}},
      {"tune", {{"on", "level"}}},
      {"fill", {}},
      {"fill", {{"how", "previous"}}},
      {"fill", {{"how", "previous"}, {"max-gap", "5min"}}},
      {"fill", {{"how", "next"}, {"max-gap", "2"}}},
      {"fill", {{"how", "constant:4"}}},
      {"fill", {{"how", "linear"}, {"max-gap", "5min"}, {"ends", "hold"}}},
      {"fill", {{"how", "spline"}}},
      {"fill", {{"how", "mean"}, {"window", "5"}}},
      {"clip", {{"bounds", "0,4"}}},
      {"clip", {{"quantiles", "0.2,0.8"}}},
      {"clip", {{"quantiles", "0.2,0.8"}, {"window", "9"}}},
      {"clip", {{"quantiles", "0.2,0.8"}, {"window", "11min"}}},
      {"clip", {{"spread", "1"}, {"window", "9"}, {"put", "level"}, {"band", "true"}}},
      {"clip", {{"deviations", "1"}, {"window", "11min"}}},
      {"clip", {{"fences", "1"}, {"window", "8"}, {"put", "missing"}}},
      {"clip", {{"stuck", "2"}}},
      {"roll", {{"window", "5"}}},
      {"roll", {{"window", "5"}, {"place", "leading"}}},
      {"roll", {{"window", "6"}, {"place", "centred"}}},
      {"roll", {{"window", "9min"}, {"take", "median(level),last(kg)"}}},
      {"roll", {{"window", "9min"}, {"place", "centred"}}},
      {"roll", {{"window", "9min"}, {"place", "leading"}}},
      {"roll", {{"take", "cumsum(level)"}}},
      {"roll", {{"window", "7"}, {"take", "std(level),zscore(kg),skewness(level),mode(kg)"}}},
      {"roll", {{"window", "3,8"}, {"place", "centred"}, {"take", "corr(level,kg),max(kg)"}}},
      {"roll", {{"window", "9min"}, {"take", "twmean(level),up(level)"}}},
      {"roll", {{"window", "4"}, {"weights", "split"}}},
      {"roll", {{"window", "3"}, {"weights", "1,2,3"}, {"min-count", "1"}}},
      {"roll", {{"take", "ewma(level,0.9)"}, {"restart", "1h"}}},
      {"roll", {{"window", "9min"}, {"take", "increase(level)"}}},
      {"lag", {{"by", "3"}, {"take", "increase(level)"}}},
      {"lag", {{"by", "3"}}},
      {"lag", {{"by", "1,3"}, {"take", "diff(level)"}, {"order", "2"}}},
      {"lag", {{"by", "3"}, {"take", "lead(level),diff(kg)"}}},
      {"lag", {{"by", "5min"}, {"take", "lead(level)"}}},
      {"regress", {{"y", "level"}, {"x", "kg"}, {"add", "fitted,residual,low,high"}}},
      {"decompose", {{"season", "5"}, {"by-rows", "true"}}},
      {"decompose", {{"season", "4"}, {"by-rows", "true"}, {"how", "means"}}},
      {"forecast", {{"ahead", "5"}, {"by-rows", "true"}, {"model", "naive"}}},
      {"forecast", {{"ahead", "9"}, {"by-rows", "true"}, {"model", "arima:1,0,1"}}},
      {"forecast",
       {{"ahead", "3"}, {"by-rows", "true"}, {"model", "smoothing:AAdN"}, {"with-past", "true"}}},
  };
  return all;
}

/// Steps that make tables.
inline const std::vector<Case>& table_cases() {
  static const std::vector<Case> all{
      {"describe", {}},
      {"gaps", {}},
      {"spells", {{"where", "level > 1"}}},
      {"profile", {{"by", "hour"}}},
      {"regress", {{"y", "level"}, {"x", "kg,row()"}}},
      {"regress", {{"y", "level"}, {"x", "kg"}, {"how", "huber"}}},
      {"regress", {{"y", "level"}, {"x", "kg"}, {"errors", "autocorrelated"}}},
      {"correlate", {{"by-rows", "true"}}},
      {"forecast", {{"ahead", "3"}, {"by-rows", "true"}, {"try", "naive,mean,drift"}}},
      {"correlate", {{"by-rows", "true"}, {"with", "kg"}, {"lags", "4"}}},
      {"test", {{"by-rows", "true"}, {"of", "unit-root,level,noise,normal,trend,runs"}}},
      {"peaks", {{"kind", "both"}, {"apart", "5min"}}},
      {"crossings", {{"of", "level"}, {"with", "kg"}, {"stay", "2"}}},
  };
  return all;
}

}  // namespace zerobeat::testing
