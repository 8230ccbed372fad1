#include <utility>
#include <zerobeat/plan/figure.hpp>
#include <zerobeat/plan/step.hpp>

namespace zerobeat {

namespace {

template <std::size_t... I>
std::vector<Step> all_steps(std::index_sequence<I...>) {
  return {Step(std::in_place_index<I>)...};
}

std::vector<Step> all_steps() {
  return all_steps(std::make_index_sequence<std::variant_size_v<Step>>());
}

}  // namespace

std::vector<std::string> step_names() {
  std::vector<std::string> names;
  for (const Step& step : all_steps()) names.emplace_back(step_name(step));
  return names;
}

Step make_step(std::string_view name) {
  for (Step& step : all_steps()) {
    if (step_name(step) == name) return step;
  }
  const auto names = step_names();
  fail_usage("\"{}\" is not a step{}", name, did_you_mean(name, names));
}

std::string_view step_name(const Step& step) {
  return std::visit([](const auto& own) { return own.name; }, step);
}

std::vector<BoundOption> bind_options(Step& step) {
  return std::visit([](auto& own) { return bind_options(own); }, step);
}

std::string to_text(const Step& step) {
  const std::string options =
      std::visit([](const auto& own) { return describe_options(own); }, step);
  const std::string name(step_name(step));
  return options.empty() ? name : name + " " + options;
}

Reach reach(const Step& step) {
  return std::visit([](const auto& own) { return reach(own); }, step);
}

void from_text(std::string_view text, Size& out) {
  const std::size_t cross = text.find('x');
  if (cross == std::string_view::npos)
    fail_usage("\"{}\" is not a size; write it like 1280x800", text);
  from_text(text.substr(0, cross), out.width);
  from_text(text.substr(cross + 1), out.height);
  constexpr int least = 100, most = 20'000;
  if (out.width < least || out.height < least || out.width > most || out.height > most) {
    fail_usage("\"{}\": width and height go from {} to {} pixels", text, least, most);
  }
}

std::string to_text(const Size& size) { return fmt::format("{}x{}", size.width, size.height); }

}  // namespace zerobeat
