#include <fmt/format.h>

#include <algorithm>
#include <charconv>
#include <map>
#include <unordered_set>
#include <zerobeat/base/option.hpp>
#include <zerobeat/table/timeline.hpp>
#include <zerobeat/take/take.hpp>

#include "base/names.hpp"
#include "base/trim.hpp"
#include "take/definitions.hpp"
#include "take/named_statistics.hpp"

namespace zerobeat::inline v1 {

namespace {

Take stat_of(Stat stat, std::string column) {
  Take take;
  take.stat = stat;
  take.column = std::move(column);
  return take;
}

/// The example that a message shows.
std::string example_of(Stat stat) {
  switch (row_of(stat).form) {
    case TakeForm::share:
      return fmt::format("a column and a share: {}(x,0.95)", word(stat));
    case TakeForm::weights:
      return fmt::format("a column and a column of weights: {}(x,w)", word(stat));
    case TakeForm::condition:
      return fmt::format("a condition: {}(x > 3.5)", word(stat));
    case TakeForm::joining:
      return fmt::format("a column, and step or linear: {}(x,linear)", word(stat));
    case TakeForm::pair:
      return fmt::format("two columns: {}(x,y)", word(stat));
    case TakeForm::decay:
      return fmt::format(
          "a column, and what is left of a weight after each record or its half-life: {0}(x,0.94), "
          "{0}(x,1h)",
          word(stat));
    case TakeForm::column:
    case TakeForm::records:
      break;
  }
  return fmt::format("one column: {}(x)", word(stat));
}

double number_from(std::string_view text, std::string_view take, const char* what) {
  double value = 0;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
  if (error != std::errc() || end != text.data() + text.size()) {
    fail_usage("\"{}\": {} is a number, not \"{}\"", take, what, text);
  }
  return value;
}

/// Reads "0.94" or "1h".
Decay decay_from(std::string_view text, std::string_view take) {
  Decay decay;
  const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), decay.share);
  if (error == std::errc() && end == text.data() + text.size()) {
    if (decay.share > 0 && decay.share < 1) return decay;
    fail_usage("\"{}\": what is left of a weight after each record lies between 0 and 1, not {}",
               take, text);
  }
  decay.share = 0;
  try {
    from_text(text, decay.half_life);
  } catch (const Error& failed) {
    fail_usage("\"{}\": {}; give a half-life, like 1h, or what is left of a weight, like 0.94",
               take, failed.what());
  }
  const Period& period = decay.half_life;
  if (period.months != 0) {
    fail_usage("\"{}\": a half-life of {} is not always as long; give it in days or hours", take,
               to_text(period));
  }
  if (period.is_zero()) fail_usage("\"{}\": a half-life is longer than zero", take);
  return decay;
}

/// Reads `x > 3.5` into column and condition.
void read_condition(std::string_view inside, std::string_view text, Take& out) {
  const std::size_t after = inside.starts_with('"') ? detail::end_of_quotes(inside, 0) : 0;
  const std::size_t at = inside.find_first_of("<>=!", after);
  if (at == std::string_view::npos || detail::trim(inside.substr(0, at)).empty()) {
    fail_usage("\"{}\": duration takes {}", text, example_of(Stat::duration));
  }
  std::size_t end = at + 1;
  while (end < inside.size() && std::string_view("<>=!").find(inside[end]) != std::string::npos) {
    ++end;
  }
  std::string_view sign = inside.substr(at, end - at);
  if (sign == "==") sign = "=";
  if (sign == "<>") sign = "!=";
  const auto signs = enum_words(Condition::Sign{});
  const auto known = std::ranges::find(signs, sign);
  if (known == signs.end()) {
    fail_usage("\"{}\": \"{}\" is not one of {}", text, sign, fmt::join(signs, " "));
  }
  out.column = detail::unquoted(detail::trim(inside.substr(0, at)));
  out.condition.sign = static_cast<Condition::Sign>(known - signs.begin());
  out.condition.value = detail::trim(inside.substr(end));
  if (out.condition.value.empty()) {
    fail_usage("\"{}\": there is nothing after {}", text, sign);
  }
}

void check_condition(const Take& take, const Column& column) {
  using Sign = Condition::Sign;
  const bool ordered = take.condition.sign != Sign::equal && take.condition.sign != Sign::unequal;
  switch (column.type()) {
    case Column::Type::number:
    case Column::Type::integer:
      number_from(take.condition.value, to_text(take), "what numbers are compared with");
      return;
    case Column::Type::boolean:
      if (take.condition.value != "true" && take.condition.value != "false") {
        fail_usage("{}: column \"{}\" is true or false, not \"{}\"", to_text(take), take.column,
                   take.condition.value);
      }
      break;
    case Column::Type::text:
      break;
    case Column::Type::time:
      fail_usage("{}: column \"{}\" holds times, which have no such condition", to_text(take),
                 take.column);
  }
  if (ordered) {
    fail_usage("{}: column \"{}\" holds no numbers; it goes with = and !=", to_text(take),
               take.column);
  }
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
  return fmt::format("{}_{}", column, word.empty() ? zerobeat::word(stat) : std::string_view(word));
}

namespace take {

Take count() {
  Take take = stat_of(Stat::count, "");
  take.of_records = true;
  return take;
}
Take count(std::string column) { return stat_of(Stat::count, std::move(column)); }
Take sum(std::string column) { return stat_of(Stat::sum, std::move(column)); }
Take mean(std::string column) { return stat_of(Stat::mean, std::move(column)); }
Take min(std::string column) { return stat_of(Stat::min, std::move(column)); }
Take max(std::string column) { return stat_of(Stat::max, std::move(column)); }
Take first(std::string column) { return stat_of(Stat::first, std::move(column)); }
Take last(std::string column) { return stat_of(Stat::last, std::move(column)); }
Take range(std::string column) { return stat_of(Stat::range, std::move(column)); }
Take median(std::string column) { return stat_of(Stat::median, std::move(column)); }
Take std(std::string column) { return stat_of(Stat::std, std::move(column)); }
Take var(std::string column) { return stat_of(Stat::var, std::move(column)); }
Take distinct(std::string column) { return stat_of(Stat::distinct, std::move(column)); }
Take mode(std::string column) { return stat_of(Stat::mode, std::move(column)); }
Take missing(std::string column) { return stat_of(Stat::missing, std::move(column)); }
Take quantile(std::string column, double share) {
  Take take = stat_of(Stat::quantile, std::move(column));
  take.share = share;
  return take;
}
Take wmean(std::string column, std::string weights) {
  Take take = stat_of(Stat::wmean, std::move(column));
  take.with = std::move(weights);
  return take;
}
Take twmean(std::string column, Joining joining) {
  Take take = stat_of(Stat::twmean, std::move(column));
  take.joining = joining;
  return take;
}
Take integral(std::string column, Joining joining) {
  Take take = stat_of(Stat::integral, std::move(column));
  take.joining = joining;
  return take;
}
Take at(std::string column, Joining joining) {
  Take take = stat_of(Stat::at, std::move(column));
  take.joining = joining;
  return take;
}
Take duration(std::string column, Condition::Sign sign, std::string value) {
  Take take = stat_of(Stat::duration, std::move(column));
  take.condition = {sign, std::move(value)};
  return take;
}
Take of(std::string column, OwnStatistic statistic) {
  Take take = stat_of(Stat::own, std::move(column));
  take.function = std::make_shared<const OwnStatistic>(std::move(statistic));
  return take;
}
Take ohlc(std::string column) { return stat_of(Stat::ohlc, std::move(column)); }
Take time_of_min(std::string column) { return stat_of(Stat::time_of_min, std::move(column)); }
Take time_of_max(std::string column) { return stat_of(Stat::time_of_max, std::move(column)); }
Take first_time(std::string column) { return stat_of(Stat::first_time, std::move(column)); }
Take last_time(std::string column) { return stat_of(Stat::last_time, std::move(column)); }
Take skewness(std::string column) { return stat_of(Stat::skewness, std::move(column)); }
Take kurtosis(std::string column) { return stat_of(Stat::kurtosis, std::move(column)); }
Take mad(std::string column) { return stat_of(Stat::mad, std::move(column)); }
Take slope(std::string column) { return stat_of(Stat::slope, std::move(column)); }
Take rms(std::string column) {
  return stat_of(detail::stat_of<detail::definition::RootMeanSquare>(), std::move(column));
}
Take cv(std::string column) {
  return stat_of(detail::stat_of<detail::definition::Variation>(), std::move(column));
}
Take up(std::string column) { return stat_of(Stat::up, std::move(column)); }
Take increase(std::string column, Joining joining) {
  Take take = stat_of(detail::stat_of<detail::definition::Increase>(), std::move(column));
  take.joining = joining;
  return take;
}
Take down(std::string column) { return stat_of(Stat::down, std::move(column)); }
Take lag(std::string column) { return stat_of(Stat::lag, std::move(column)); }
Take lead(std::string column) { return stat_of(Stat::lead, std::move(column)); }
Take diff(std::string column) { return stat_of(Stat::diff, std::move(column)); }
Take change(std::string column) { return stat_of(Stat::change, std::move(column)); }
Take log_return(std::string column) { return stat_of(Stat::log_return, std::move(column)); }
Take rate(std::string column) { return stat_of(Stat::rate, std::move(column)); }
Take corr(std::string column, std::string other) {
  Take take = stat_of(Stat::corr, std::move(column));
  take.with = std::move(other);
  return take;
}
Take cov(std::string column, std::string other) {
  Take take = stat_of(Stat::cov, std::move(column));
  take.with = std::move(other);
  return take;
}
Take zscore(std::string column) { return stat_of(Stat::zscore, std::move(column)); }
Take rank(std::string column) { return stat_of(Stat::rank, std::move(column)); }
Take ewma(std::string column, const Decay& decay) {
  Take take = stat_of(Stat::ewma, std::move(column));
  take.decay = decay;
  return take;
}
Take ewvar(std::string column, const Decay& decay) {
  Take take = stat_of(Stat::ewvar, std::move(column));
  take.decay = decay;
  return take;
}
Take ewsd(std::string column, const Decay& decay) {
  Take take = stat_of(Stat::ewsd, std::move(column));
  take.decay = decay;
  return take;
}
Take ewvol(std::string column, const Decay& decay) {
  Take take = stat_of(Stat::ewvol, std::move(column));
  take.decay = decay;
  return take;
}
Take cumsum(std::string column) { return stat_of(Stat::cumsum, std::move(column)); }

}  // namespace take

namespace {

constexpr auto all_statistics = [] {
  auto rows = detail::for_each_statistic<Statistic>([]<typename D>(D) { return D::row; });
  for (std::size_t i = 0; i < rows.size(); ++i) rows[i].stat = static_cast<Stat>(i);
  return rows;
}();

}  // namespace

std::span<const Statistic> statistics() { return all_statistics; }
const Statistic& row_of(Stat stat) {
  const auto place = static_cast<std::size_t>(stat);
  if (place >= std::size(all_statistics)) fail_usage("there is no statistic number {}", place);
  return all_statistics[place];
}

std::span<const Stat> statistics_of(TakenBy step) {
  const auto all_of = [](TakenBy one) {
    std::vector<Stat> all;
    for (const Statistic& row : statistics()) {
      if (row.is_taken_by(one)) all.push_back(row.stat);
    }
    return all;
  };
  static const std::map<TakenBy, std::vector<Stat>> tables = [&] {
    std::map<TakenBy, std::vector<Stat>> made;
    for (const auto one :
         {TakenBy::buckets, TakenBy::profiles, TakenBy::spells, TakenBy::windows, TakenBy::lags}) {
      made.emplace(one, all_of(one));
    }
    return made;
  }();
  return tables.at(step);
}

void from_text(std::string_view text, Stat& out) {
  std::vector<std::string> words;
  for (const Statistic& row : statistics()) {
    if (row.stat == Stat::own) continue;
    if (row.word == text) {
      out = row.stat;
      return;
    }
    words.emplace_back(row.word);
  }
  if (const auto* const named = detail::named_statistics()) {
    for (const auto& [name, function] : *named) words.push_back(name);
  }
  static constexpr Synonym synonyms[] = {
      {"avg", "mean"},     {"average", "mean"}, {"stdev", "std"},          {"sd", "std"},
      {"variance", "var"}, {"minimum", "min"},  {"maximum", "max"},        {"total", "sum"},
      {"n", "count"},      {"delta", "diff"},   {"percentile", "quantile"}};
  fail_usage("\"{}\" is not a statistic{}", text, did_you_mean(text, words, synonyms));
}

namespace {

/// Whether the word is a statistic of the program's own; `out` is of it then.
bool is_named(std::string_view word, Take& out) {
  const auto* const named = detail::named_statistics();
  if (named == nullptr) return false;
  const auto at = named->find(std::string(word));
  if (at == named->end()) return false;
  out.stat = Stat::own;
  out.word = word;
  out.function = std::make_shared<const OwnStatistic>(at->second);
  return true;
}

/// What stands before the bracket.
std::string_view word_of(const Take& take) {
  return take.word.empty() ? word(take.stat) : std::string_view(take.word);
}

}  // namespace

void from_text(std::string_view text, Take& out) {
  out = Take();
  std::string_view rest = detail::trim(text);
  const std::size_t after = rest.starts_with('"') ? detail::end_of_quotes(rest, 0) : 0;
  const std::size_t open = rest.find('(', after);
  const std::size_t equals = rest.substr(0, open).find('=', after);
  if (equals != std::string_view::npos) {
    out.name = detail::unquoted(detail::trim(rest.substr(0, equals)));
    if (out.name.empty()) fail_usage("\"{}\" has no name before =", text);
    rest = detail::trim(rest.substr(equals + 1));
  }
  const std::size_t bracket = rest.find('(');
  const std::string_view stat = detail::trim(rest.substr(0, bracket));
  try {
    if (!is_named(stat, out)) from_text(stat, out.stat);
  } catch (const Error& error) {
    fail_usage("\"{}\": {}", text, error.what());
  }
  const TakeForm form = row_of(out.stat).form;
  const bool needs_more = form == TakeForm::share || form == TakeForm::weights ||
                          form == TakeForm::condition || form == TakeForm::pair ||
                          form == TakeForm::decay;
  if (bracket == std::string_view::npos) {
    if (needs_more) fail_usage("\"{}\": {} takes {}", text, stat, example_of(out.stat));
    if (!out.name.empty()) {
      fail_usage("\"{}\" gives one name to every numeric column; name one: {}(x)", text, stat);
    }
    return;
  }
  if (rest.back() != ')') fail_usage("\"{}\" lacks a closing bracket", text);
  const std::string_view inside = detail::trim(rest.substr(bracket + 1, rest.size() - bracket - 2));
  if (form == TakeForm::condition) return read_condition(inside, text, out);
  const auto arguments = split_commas(inside);
  if (arguments.empty() && form == TakeForm::records) {
    out.of_records = true;
    return;
  }
  const bool one_more = needs_more || (form == TakeForm::joining && arguments.size() == 2);
  if (arguments.size() != (one_more ? 2 : 1) || arguments[0].empty()) {
    fail_usage("\"{}\": {} takes {}", text, word(out.stat), example_of(out.stat));
  }
  out.column = detail::unquoted(arguments[0]);
  if (form == TakeForm::weights || form == TakeForm::pair)
    out.with = detail::unquoted(arguments[1]);
  if (form == TakeForm::decay) out.decay = decay_from(arguments[1], text);
  if (form == TakeForm::joining && one_more) {
    try {
      from_text(arguments[1], out.joining);
    } catch (const Error&) {
      fail_usage("\"{}\": {} takes {}, not \"{}\"", text, word(out.stat), example_of(out.stat),
                 arguments[1]);
    }
  }
  if (form == TakeForm::share) {
    const std::string_view share = arguments[1];
    const bool percent = share.ends_with('%');
    out.share = number_from(percent ? share.substr(0, share.size() - 1) : share, text, "the share");
    if (percent) out.share /= 100;
    if (!(out.share >= 0 && out.share <= 1)) {
      fail_usage("\"{}\": the share is a number from 0 to 1, not \"{}\"", text, arguments[1]);
    }
  }
}

std::string to_text(const Take& take) {
  constexpr std::string_view marks = ",()=";
  std::string text = take.name.empty() ? "" : detail::quoted_where_needed(take.name, ",()=:") + "=";
  text += word_of(take);
  if (take.of_records) return text + "()";
  if (take.column.empty()) return text;
  const bool compared = row_of(take.stat).form == TakeForm::condition;
  const std::string column =
      detail::quoted_where_needed(take.column, compared ? ",()<>=!" : marks.substr(0, 3));
  switch (row_of(take.stat).form) {
    case TakeForm::share:
      return fmt::format("{}({},{})", text, column, take.share);
    case TakeForm::weights:
    case TakeForm::pair:
      return fmt::format("{}({},{})", text, column,
                         detail::quoted_where_needed(take.with, marks.substr(0, 3)));
    case TakeForm::condition:
      return fmt::format("{}({} {} {})", text, column, to_text(take.condition.sign),
                         take.condition.value);
    case TakeForm::joining:
      if (take.joining == Joining::linear) return fmt::format("{}({},linear)", text, column);
      break;
    case TakeForm::decay:
      return fmt::format("{}({},{})", text, column,
                         take.decay.share > 0 ? fmt::format("{}", take.decay.share)
                                              : to_text(take.decay.half_life));
    case TakeForm::column:
    case TakeForm::records:
      break;
  }
  return fmt::format("{}({})", text, column);
}

void from_text(std::string_view text, std::vector<Take>& out) {
  out.clear();
  std::string source;
  for (const auto& part : split_commas(text)) {
    std::string_view take = part;
    const std::size_t after = take.starts_with('"') ? detail::end_of_quotes(take, 0) : 0;
    const std::size_t colon = take.substr(0, take.find_first_of("(=", after)).find(':', after);
    if (colon != std::string_view::npos) {
      source = detail::unquoted(detail::trim(take.substr(0, colon)));
      take.remove_prefix(colon + 1);
    }
    from_text(take, out.emplace_back());
    out.back().source = source;
  }
  if (out.empty()) fail_usage("\"{}\" names no statistic; write it like mean(level_m)", text);
}

std::string to_text(const std::vector<Take>& takes) {
  // A name holds for what follows, so what is of every timeline comes first.
  std::string text;
  for (const bool of_one : {false, true}) {
    for (const Take& take : takes) {
      if (take.source.empty() == of_one) continue;
      text += text.empty() ? "" : ",";
      if (of_one) text += detail::quoted_where_needed(take.source, ",()=:") + ":";
      text += to_text(take);
    }
  }
  return text;
}

std::vector<Take> takes_of(const std::vector<Take>& takes, std::string_view source) {
  std::vector<Take> own;
  for (const Take& take : takes) {
    if (!take.source.empty() && take.source != source) continue;
    own.push_back(take);
    own.back().source.clear();
  }
  return own;
}

std::vector<Take> resolve_takes(const std::vector<Take>& takes, const Table& table, Stat otherwise,
                                TakenBy by, std::string_view step, const std::string& time_name,
                                const std::string& key_name) {
  std::vector<Take> asked = takes;
  if (asked.empty()) asked.push_back(stat_of(otherwise, ""));

  std::vector<Take> resolved;
  for (const Take& take : asked) {
    const Statistic& row = row_of(take.stat);
    if (!row.is_taken_by(by)) {
      std::vector<std::string> words;
      for (const Stat stat : statistics_of(by)) {
        if (stat != Stat::own) words.emplace_back(word(stat));
      }
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
    if (!column.is_numeric() && !row.of_any_type) {
      std::vector<std::string_view> words;
      for (const Statistic& statistic : statistics()) {
        if (statistic.of_any_type && statistic.is_taken_by(by)) words.push_back(statistic.word);
      }
      fail_usage("{}: column \"{}\" holds {}, not numbers; of those there are {}", to_text(take),
                 take.column, to_text(column.type()), fmt::join(words, " "));
    }
    if (row.form == TakeForm::condition) check_condition(take, column);
    const bool of_two = row.form == TakeForm::weights || row.form == TakeForm::pair;
    if (of_two && !table.column(take.with).is_numeric()) {
      fail_usage("{}: the {} \"{}\" are not numbers", to_text(take),
                 row.form == TakeForm::pair ? "readings of" : "weights", take.with);
    }
    resolved.push_back(take);
  }

  std::unordered_set<std::string> names{time_name};
  for (const auto& name : key_parts(key_name)) {
    if (!name.empty()) names.insert(name);
  }
  for (const Take& take : resolved) {
    std::vector<std::string> own{take.result_name()};
    if (take.stat == Stat::ohlc) {
      own = {take.result_name() + "_open", take.result_name() + "_high",
             take.result_name() + "_low", take.result_name() + "_close"};
    }
    for (const auto& name : own) {
      if (!names.insert(name).second) {
        fail_usage("two columns would be named \"{}\"; give one a name: NAME={}", name,
                   to_text(take));
      }
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
    if (!take.with.empty()) names.push_back(take.with);
  }
  return names;
}

}  // namespace zerobeat
