#include "time/civil_reader.hpp"

#include "time/civil_names.hpp"

namespace zerobeat::inline v1::detail {

using namespace std::chrono;

void CivilReader::read_day(std::int64_t local_second) {
  const local_days day = floor<days>(local_seconds(seconds(local_second)));
  day_start_ = duration_cast<seconds>(day.time_since_epoch()).count();
  second_of_day_ = local_second - day_start_;
  const year_month_day parts(day);
  year_ = static_cast<int>(parts.year());
  month_ = static_cast<unsigned>(parts.month());
  day_ = static_cast<unsigned>(parts.day());
  yearday_ = (day - local_days(parts.year() / January / 1)).count() + 1;
  weekday_ = std::chrono::weekday(day).iso_encoding();
  week_ = iso_week_of(day).week;
}

}  // namespace zerobeat::detail
