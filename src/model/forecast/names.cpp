#include <fmt/format.h>

#include <algorithm>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/text.hpp>
#include <zerobeat/model/forecast_model.hpp>

namespace zerobeat::inline v1 {

namespace {

using Family = ForecastModel::Family;
using Part = SmoothingForm::Part;

constexpr std::pair<std::string_view, Family> families[] = {
    {"auto", Family::automatic}, {"mean", Family::mean},         {"naive", Family::naive},
    {"drift", Family::drift},    {"seasonal", Family::seasonal}, {"smoothing", Family::smoothing},
    {"arima", Family::arima}};

constexpr std::string_view families_text =
    "auto, mean, naive, drift, seasonal, smoothing, smoothing:ETS, arima, arima:p,d,q or "
    "arima:p,d,q,P,D,Q";

[[noreturn]] void refuse_orders(std::string_view text) {
  fail_usage(
      "\"{}\": arima's orders are three numbers or six, like arima:1,0,1 or "
      "arima:0,1,1,0,1,1, with :drift behind them for a mean of the differences",
      shown(text));
}

ArimaOrders orders_from(std::string_view text, std::string_view whole) {
  ArimaOrders out;
  constexpr std::string_view drift = ":drift";
  if (text.ends_with(drift)) {
    out.drift = true;
    text.remove_suffix(drift.size());
  }
  std::vector<int> numbers;
  for (std::size_t begin = 0; begin <= text.size();) {
    const std::size_t end = std::min(text.find(',', begin), text.size());
    const std::string_view part = text.substr(begin, end - begin);
    constexpr std::size_t most_digits = 3;
    if (part.empty() || part.size() > most_digits ||
        !std::ranges::all_of(part, [](char c) { return c >= '0' && c <= '9'; })) {
      refuse_orders(whole);
    }
    int number = 0;
    for (const char c : part) number = number * 10 + (c - '0');
    numbers.push_back(number);
    begin = end + 1;
  }
  if (numbers.size() != 3 && numbers.size() != 6) refuse_orders(whole);
  numbers.resize(6, 0);
  out.p = numbers[0];
  out.d = numbers[1];
  out.q = numbers[2];
  out.seasonal_p = numbers[3];
  out.seasonal_d = numbers[4];
  out.seasonal_q = numbers[5];
  constexpr int most_terms = 24, most_differences = 3;
  for (const int order : {out.p, out.q, out.seasonal_p, out.seasonal_q}) {
    if (order > most_terms) {
      fail_usage("\"{}\": {} terms are more than {}", shown(whole), order, most_terms);
    }
  }
  if (out.differences() > most_differences) {
    fail_usage("\"{}\": {} differences are more than {}", shown(whole), out.differences(),
               most_differences);
  }
  if (out.drift && out.differences() == 0) {
    fail_usage("\"{}\": without differences there is a mean, and no drift", shown(whole));
  }
  return out;
}

SmoothingForm form_from(std::string_view text, std::string_view whole) {
  SmoothingForm out;
  std::string_view rest = text;
  const auto next = [&](std::initializer_list<std::pair<std::string_view, Part>> choices) {
    for (const auto& [letters, part] : choices) {
      if (!rest.starts_with(letters)) continue;
      rest.remove_prefix(letters.size());
      return part;
    }
    fail_usage(
        "\"{}\": smoothing's letters are its error (A or M), its trend (N, A or Ad) and its season "
        "(N, A or M), like smoothing:AAdA",
        shown(whole));
  };
  out.error = next({{"A", Part::additive}, {"M", Part::multiplicative}});
  out.trend = next({{"N", Part::none}, {"Ad", Part::damped}, {"A", Part::additive}});
  out.season = next({{"N", Part::none}, {"A", Part::additive}, {"M", Part::multiplicative}});
  if (!rest.empty()) next({});
  return out;
}

std::string letters_of(Part part) {
  switch (part) {
    case Part::none:
      return "N";
    case Part::additive:
      return "A";
    case Part::damped:
      return "Ad";
    case Part::multiplicative:
      return "M";
  }
  return {};
}

}  // namespace

std::string orders_text(const ArimaOrders& orders) {
  std::string out = fmt::format("{},{},{}", orders.p, orders.d, orders.q);
  if (orders.is_seasonal()) {
    out += fmt::format(" {},{},{}", orders.seasonal_p, orders.seasonal_d, orders.seasonal_q);
  }
  return out;
}

std::string form_text(const SmoothingForm& form) {
  return letters_of(form.error) + letters_of(form.trend) + letters_of(form.season);
}

ForecastModel::ForecastModel(const char* text) { from_text(text, *this); }
ForecastModel::ForecastModel(const std::string& text) { from_text(text, *this); }

bool ForecastModel::needs_season() const {
  return family == Family::seasonal || (orders && orders->is_seasonal()) ||
         (form && form->season != SmoothingForm::Part::none);
}

void from_text(std::string_view text, ForecastModel& out) {
  ForecastModel made;
  const std::size_t colon = text.find(':');
  const auto* family = std::ranges::find(families, text.substr(0, colon),
                                         &std::pair<std::string_view, Family>::first);
  const bool has_more = colon != std::string_view::npos;
  if (family == std::end(families) ||
      (has_more && family->second != Family::arima && family->second != Family::smoothing)) {
    fail_usage("\"{}\" is no model: {}", shown(text), families_text);
  }
  made.family = family->second;
  if (has_more && made.family == Family::arima) {
    made.orders = orders_from(text.substr(colon + 1), text);
  } else if (has_more) {
    made.form = form_from(text.substr(colon + 1), text);
  }
  out = made;
}

std::string to_text(const ForecastModel& model) {
  const auto* family =
      std::ranges::find(families, model.family, &std::pair<std::string_view, Family>::second);
  std::string out(family->first);
  if (model.orders) {
    const ArimaOrders& o = *model.orders;
    out += fmt::format(":{},{},{}", o.p, o.d, o.q);
    if (o.is_seasonal()) out += fmt::format(",{},{},{}", o.seasonal_p, o.seasonal_d, o.seasonal_q);
    if (o.drift) out += ":drift";
  }
  if (model.form) out += ":" + form_text(*model.form);
  return out;
}

void from_text(std::string_view text, std::vector<ForecastModel>& out) {
  std::vector<ForecastModel> made;
  for (std::size_t begin = 0; begin <= text.size();) {
    std::size_t end = begin;
    while (end < text.size() &&
           !(text[end] == ',' &&
             !(end + 1 < text.size() && text[end + 1] >= '0' && text[end + 1] <= '9'))) {
      ++end;
    }
    ForecastModel model;
    from_text(text.substr(begin, end - begin), model);
    if (std::ranges::find(made, model) != made.end()) {
      fail_usage("{} is given twice", to_text(model));
    }
    made.push_back(model);
    begin = end + 1;
  }
  out = std::move(made);
}

std::string to_text(const std::vector<ForecastModel>& models) {
  std::string out;
  for (const ForecastModel& model : models) out += (out.empty() ? "" : ",") + to_text(model);
  return out;
}

}  // namespace zerobeat
