#include "table/column_unit.hpp"

#include "support/strand.hpp"

namespace zerobeat::testing {

TEST_CASE("the last word of a column's name tells its unit", "[table]") {
  CHECK(detail::unit_of_column("landed_kg") == "kg");
  CHECK(detail::unit_of_column("temperature_c") == "°C");
  CHECK(detail::unit_of_column("wind_speed_kn") == "kn");
  CHECK(detail::unit_of_column("kg").empty());
  CHECK(detail::unit_of_column("_kg").empty());
  CHECK(detail::unit_of_column("level_x").empty());
  CHECK(detail::unit_of_column("").empty());
  CHECK(detail::unit_of("degc") == "°C");
  CHECK(detail::unit_of("degrees").empty());
}

}  // namespace zerobeat::testing
