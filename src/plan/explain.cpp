#include <fmt/format.h>

#include <sstream>
#include <zerobeat/base/text.hpp>
#include <zerobeat/plan/plan.hpp>

#include "base/aligned.hpp"
#include "plan/making.hpp"

namespace zerobeat::inline v1 {

namespace {

/// The columns after each step of each series, as far as they could be seen.
using Columns = std::map<std::string, std::vector<std::string>>;

std::string joined(const std::vector<std::string>& names) {
  std::string all;
  for (const auto& name : names) all += (all.empty() ? "" : " ") + shown(name);
  return all;
}

/// The options of a step: all that are set, or have a default that matters.
std::string options_of(Step step) {
  std::string all;
  for (const auto& option : step.options()) {
    const std::string value = option.get();
    if (value.empty() || (option.type == OptionType::flag && value == "false")) continue;
    all += (all.empty() ? "" : " ") + option.name + "=" + shown(value, 400);
  }
  return all;
}

}  // namespace

std::string explain_plan(const Plan& given) {
  const Plan plan = detail::with_date_columns(given);
  const RunOptions options;
  detail::Watching watching(options, 1);
  detail::Making making(plan, watching);
  constexpr std::size_t head = std::size_t{1} << 20;
  const auto unseen = making.read_heads(head);
  Columns after;
  making.make_series([&](const PlanSeries& series, std::size_t, const detail::Product& product) {
    after[series.name].push_back(joined(detail::columns_of(product)));
  });
  making.check_mistakes();

  std::string out;
  for (const auto& source : plan.sources) {
    out += fmt::format("source {}: {}", shown(source.name), shown(source.file.path, 200));
    if (const auto why = unseen.find(source.name); why != unseen.end()) {
      out += fmt::format(" (not looked at: {})", why->second);
    }
    out += "\n";
    if (source.stamp) out += "      stamp " + describe_options(*source.stamp) + "\n";
    if (source.reshape) out += "      reshape " + describe_options(*source.reshape) + "\n";
  }
  std::map<std::string, std::string> looks_ahead;  // series that do, and which step
  for (const auto& series : plan.series) {
    out += fmt::format("\nseries {} from {}\n", shown(series.name), fmt::join(series.from, ", "));
    std::vector<std::vector<std::string>> rows{
        {"step", "reach back", "reach ahead", "causal", "columns out"}};
    std::vector<std::string> options_lines{""};
    std::string why;
    for (const auto& from : series.from) {
      if (looks_ahead.contains(from)) {
        why = fmt::format("{}, which it is made from, looks ahead", shown(from));
      }
    }
    const auto& columns = after[series.name];
    for (std::size_t i = 0; i < series.steps.size(); ++i) {
      const Step& step = series.steps[i].step;
      const Reach reach = step.reach();
      if (!reach.causal() && why.empty()) why = fmt::format("{} looks ahead", step.name());
      rows.push_back({std::string(step.name()), to_text(reach.back), to_text(reach.ahead),
                      reach.causal() ? "yes" : "no", i < columns.size() ? columns[i] : "?"});
      options_lines.push_back(options_of(step));
    }
    if (series.steps.empty()) {
      const detail::Product* product = making.product(series.name);
      rows.push_back({"(none)", "none", "none", "yes",
                      product == nullptr ? "?" : joined(detail::columns_of(*product))});
      options_lines.emplace_back();
    }
    // The options of a step stand under it, so that the table stays narrow.
    std::istringstream lines(detail::aligned(rows, 5, 5, "  "));
    for (const auto& under : options_lines) {
      std::string line;
      std::getline(lines, line);
      out += line + "\n";
      if (!under.empty()) out += "      " + under + "\n";
    }
    if (!why.empty()) looks_ahead[series.name] = why;
    out += why.empty() ? "  causal: nothing later than t is used for t\n"
                       : fmt::format("  not causal: {}\n", why);
  }
  for (const auto& output : plan.outputs) {
    out += fmt::format("\noutput {} from {}: {}", shown(output.name), fmt::join(output.from, ", "),
                       shown(output.place().path, 200));
  }
  if (!plan.outputs.empty()) out += "\n";
  return out;
}

}  // namespace zerobeat
