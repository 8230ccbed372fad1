#include <algorithm>
#include <charconv>
#include <zerobeat/option.hpp>
#include <zerobeat/table/take.hpp>

#include "base/trim.hpp"

namespace zerobeat {

namespace {

Take of(Stat stat, std::string column) {
  Take take;
  take.stat = stat;
  take.column = std::move(column);
  return take;
}

bool counts_anything(Stat stat) {
  return stat == Stat::count || stat == Stat::first || stat == Stat::last ||
         stat == Stat::missing || stat == Stat::distinct || stat == Stat::mode ||
         stat == Stat::lag || stat == Stat::lead;
}

}  // namespace

Take Take::as(std::string new_name) const {
  Take renamed = *this;
  renamed.name = std::move(new_name);
  return renamed;
}

std::string Take::result_name() const {
  if (!name.empty()) return name;
  if (stat == Stat::ohlc) return column;
  if (of_records) return "count";
  if (stat == Stat::quantile) {
    // A share of 0.95 is named q95, of 0.995 q99_5.
    std::string percent = fmt::format("{:.10f}", share * 100);
    percent.erase(percent.find_last_not_of('0') + 1);
    if (percent.back() == '.') percent.pop_back();
    std::ranges::replace(percent, '.', '_');
    return fmt::format("{}_q{}", column, percent);
  }
  return fmt::format("{}_{}", column, word(stat));
}

Take count() {
  Take take = of(Stat::count, "");
  take.of_records = true;
  return take;
}
Take count(std::string column) { return of(Stat::count, std::move(column)); }
Take sum(std::string column) { return of(Stat::sum, std::move(column)); }
Take mean(std::string column) { return of(Stat::mean, std::move(column)); }
Take min(std::string column) { return of(Stat::min, std::move(column)); }
Take max(std::string column) { return of(Stat::max, std::move(column)); }
Take first(std::string column) { return of(Stat::first, std::move(column)); }
Take last(std::string column) { return of(Stat::last, std::move(column)); }
Take range(std::string column) { return of(Stat::range, std::move(column)); }
Take median(std::string column) { return of(Stat::median, std::move(column)); }
Take std_of(std::string column) { return of(Stat::std, std::move(column)); }
Take var(std::string column) { return of(Stat::var, std::move(column)); }
Take distinct(std::string column) { return of(Stat::distinct, std::move(column)); }
Take mode(std::string column) { return of(Stat::mode, std::move(column)); }
Take missing(std::string column) { return of(Stat::missing, std::move(column)); }
Take quantile(std::string column, double share) {
  Take take = of(Stat::quantile, std::move(column));
  take.share = share;
  return take;
}
Take wmean(std::string column, std::string weights) {
  Take take = of(Stat::wmean, std::move(column));
  take.weights = std::move(weights);
  return take;
}
Take twmean(std::string column) { return of(Stat::twmean, std::move(column)); }
Take integral(std::string column) { return of(Stat::integral, std::move(column)); }
Take ohlc(std::string column) { return of(Stat::ohlc, std::move(column)); }
Take time_of_min(std::string column) { return of(Stat::time_of_min, std::move(column)); }
Take time_of_max(std::string column) { return of(Stat::time_of_max, std::move(column)); }
Take lag(std::string column) { return of(Stat::lag, std::move(column)); }
Take lead(std::string column) { return of(Stat::lead, std::move(column)); }
Take diff(std::string column) { return of(Stat::diff, std::move(column)); }
Take change(std::string column) { return of(Stat::change, std::move(column)); }
Take log_return(std::string column) { return of(Stat::log_return, std::move(column)); }
Take rate(std::string column) { return of(Stat::rate, std::move(column)); }

void from_text(std::string_view text, Take& out) {
  out = Take();
  std::string_view rest = detail::trim(text);
  const std::size_t open = rest.find('(');
  const std::size_t equals = rest.substr(0, open).find('=');
  if (equals != std::string_view::npos) {
    out.name = detail::trim(rest.substr(0, equals));
    if (out.name.empty()) fail_usage("\"{}\" has no name before =", text);
    rest = detail::trim(rest.substr(equals + 1));
  }
  const std::size_t bracket = rest.find('(');
  const std::string_view stat = detail::trim(rest.substr(0, bracket));
  try {
    from_text(stat, out.stat);
  } catch (const Error&) {
    const auto words = enum_words(Stat{});
    const std::vector<std::string> candidates(words.begin(), words.end());
    fail_usage("\"{}\": \"{}\" is not a statistic{}", text, stat, did_you_mean(stat, candidates));
  }
  if (bracket == std::string_view::npos) {
    if (out.stat == Stat::quantile || out.stat == Stat::wmean) {
      fail_usage("\"{}\" needs a column and {}: {}", text,
                 out.stat == Stat::quantile ? "a share" : "a column of weights",
                 out.stat == Stat::quantile ? "quantile(x,0.95)" : "wmean(x,w)");
    }
    if (!out.name.empty()) {
      fail_usage("\"{}\" gives one name to every numeric column; name one: {}({})", text, stat,
                 "x");
    }
    return;
  }
  if (rest.back() != ')') fail_usage("\"{}\" lacks a closing bracket", text);
  const std::string_view inside = detail::trim(rest.substr(bracket + 1, rest.size() - bracket - 2));
  const auto arguments = split_commas(inside);
  const bool two = out.stat == Stat::quantile || out.stat == Stat::wmean;
  if (arguments.empty() && out.stat == Stat::count) {
    out.of_records = true;
    return;
  }
  if (arguments.size() != (two ? 2 : 1) || arguments[0].empty()) {
    fail_usage("\"{}\": {} takes {}", text, word(out.stat),
               out.stat == Stat::quantile ? "a column and a share: quantile(x,0.95)"
               : two                      ? "a column and a column of weights: wmean(x,w)"
                                          : "one column");
  }
  out.column = arguments[0];
  if (out.stat == Stat::wmean) out.weights = arguments[1];
  if (out.stat == Stat::quantile) {
    const std::string& share = arguments[1];
    const auto [end, error] = std::from_chars(share.data(), share.data() + share.size(), out.share);
    const bool whole = error == std::errc() && end == share.data() + share.size();
    if (!whole || !(out.share >= 0 && out.share <= 1)) {
      fail_usage("\"{}\": the share is a number from 0 to 1, not \"{}\"", text, share);
    }
  }
}

std::string to_text(const Take& take) {
  std::string text = take.name.empty() ? "" : take.name + "=";
  text += word(take.stat);
  if (take.of_records) return text + "()";
  if (take.column.empty()) return text;
  if (take.stat == Stat::quantile) return fmt::format("{}({},{})", text, take.column, take.share);
  if (take.stat == Stat::wmean) return fmt::format("{}({},{})", text, take.column, take.weights);
  return fmt::format("{}({})", text, take.column);
}

void from_text(std::string_view text, std::vector<Take>& out) {
  out.clear();
  for (const auto& part : split_commas(text)) {
    from_text(part, out.emplace_back());
  }
  if (out.empty()) fail_usage("\"{}\" names no statistic; write it like mean(level_m)", text);
}

std::string to_text(const std::vector<Take>& takes) {
  std::string text;
  for (const Take& take : takes) text += (text.empty() ? "" : ",") + to_text(take);
  return text;
}

std::vector<Take> resolve_takes(const std::vector<Take>& takes, const Table& table, Stat otherwise,
                                std::span<const Stat> allowed, std::string_view step,
                                const std::string& time_name, const std::string& key_name) {
  std::vector<Take> asked = takes;
  if (asked.empty()) asked.push_back(of(otherwise, ""));

  std::vector<Take> resolved;
  for (const Take& take : asked) {
    if (std::ranges::find(allowed, take.stat) == allowed.end()) {
      std::vector<std::string> words;
      for (const Stat stat : allowed) words.emplace_back(word(stat));
      fail_usage("{} is not a statistic of {}, which has {}", word(take.stat), step,
                 fmt::join(words, " "));
    }
    if (take.of_records) {
      resolved.push_back(take);
      continue;
    }
    if (take.column.empty()) {
      for (const auto& name : table.numeric_names()) {
        Take one = take;
        one.column = name;
        resolved.push_back(one);
      }
      continue;
    }
    const Column& column = table.column(take.column);
    if (!column.is_numeric() && !counts_anything(take.stat)) {
      fail_usage("{}: column \"{}\" holds {}, not numbers", to_text(take), take.column,
                 enum_words(column.type())[static_cast<std::size_t>(column.type())]);
    }
    if (take.stat == Stat::wmean && !table.column(take.weights).is_numeric()) {
      fail_usage("{}: the weights \"{}\" are not numbers", to_text(take), take.weights);
    }
    resolved.push_back(take);
  }

  std::vector<std::string> names{time_name};
  if (!key_name.empty()) names.push_back(key_name);
  for (const Take& take : resolved) {
    std::vector<std::string> own{take.result_name()};
    if (take.stat == Stat::ohlc) {
      own = {take.result_name() + "_open", take.result_name() + "_high",
             take.result_name() + "_low", take.result_name() + "_close"};
    }
    for (const auto& name : own) {
      if (std::ranges::find(names, name) != names.end()) {
        fail_usage("two columns would be named \"{}\"; give one a name: NAME={}", name,
                   to_text(take));
      }
      names.push_back(name);
    }
  }
  return resolved;
}

std::optional<std::vector<std::string>> columns_of(const std::vector<Take>& takes) {
  if (takes.empty()) return std::nullopt;
  std::vector<std::string> names;
  for (const Take& take : takes) {
    if (take.of_records) continue;
    if (take.column.empty()) return std::nullopt;
    names.push_back(take.column);
    if (take.stat == Stat::wmean) names.push_back(take.weights);
  }
  return names;
}

}  // namespace zerobeat
