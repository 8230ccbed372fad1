#include <zerobeat/base/option.hpp>

struct Winch {};
struct Step {
  Winch winch{};
};

template <typename Visitor, zerobeat::OptionsOf<Step> O>
void fields(Visitor&& visit, O& o) {
  visit("winch", o.winch, "W", "a type that is no option");
}

int main() {
  Step step;
  return static_cast<int>(zerobeat::bind_options(step).size());
}
