#include <zerobeat/window/roll.hpp>

using namespace zerobeat;

double first(const Timeline& level) {
  return (level | Roll{.window = 2}).values().column("m").numbers()[0];
}
