#include "table/column_unit.hpp"

#include <algorithm>
#include <array>

namespace zerobeat::inline v1::detail {

namespace {

struct Unit {
  std::string_view ending, written;
};

/// Endings of names, and the units that they stand for.
constexpr std::array<Unit, 61> units{{
    {"m", "m"},     {"km", "km"},    {"cm", "cm"},   {"mm", "mm"},     {"um", "µm"},
    {"ft", "ft"},   {"nm", "nm"},    {"c", "°C"},    {"degc", "°C"},   {"f", "°F"},
    {"k", "K"},     {"pa", "Pa"},    {"hpa", "hPa"}, {"kpa", "kPa"},   {"mbar", "mbar"},
    {"bar", "bar"}, {"psi", "psi"},  {"v", "V"},     {"mv", "mV"},     {"kv", "kV"},
    {"a", "A"},     {"ma", "mA"},    {"w", "W"},     {"kw", "kW"},     {"mw", "MW"},
    {"wh", "Wh"},   {"kwh", "kWh"},  {"mwh", "MWh"}, {"j", "J"},       {"kj", "kJ"},
    {"hz", "Hz"},   {"khz", "kHz"},  {"mhz", "MHz"}, {"g", "g"},       {"mg", "mg"},
    {"kg", "kg"},   {"t", "t"},      {"l", "l"},     {"ml", "ml"},     {"m3", "m³"},
    {"m2", "m²"},   {"ms", "ms"},    {"us", "µs"},   {"ns", "ns"},     {"s", "s"},
    {"min", "min"}, {"h", "h"},      {"pct", "%"},   {"percent", "%"}, {"ppm", "ppm"},
    {"ppb", "ppb"}, {"db", "dB"},    {"rpm", "rpm"}, {"deg", "°"},     {"rad", "rad"},
    {"mps", "m/s"}, {"kmh", "km/h"}, {"kn", "kn"},   {"kt", "kn"},     {"eur", "EUR"},
    {"usd", "USD"},
}};

}  // namespace

std::string_view unit_of(std::string_view word) {
  const auto unit = std::ranges::find(units, word, &Unit::ending);
  return unit == units.end() ? std::string_view() : unit->written;
}

std::string_view unit_of_column(std::string_view column) {
  const std::size_t end = column.rfind('_');
  return end == std::string_view::npos || end == 0 ? std::string_view()
                                                   : unit_of(column.substr(end + 1));
}

}  // namespace zerobeat::detail
