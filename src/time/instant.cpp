#include <zerobeat/time/instant.hpp>
#include <zerobeat/time/zone.hpp>

namespace zerobeat::inline v1 {

namespace {

char* write_two(char* out, unsigned value) {
  out[0] = static_cast<char>('0' + value / 10);
  out[1] = static_cast<char>('0' + value % 10);
  return out + 2;
}

}  // namespace

int digits_needed(Instant t) {
  const std::int64_t n = nanoseconds_of(t);
  if (n % 1'000 != 0) return 9;
  if (n % 1'000'000 != 0) return 6;
  if (n % 1'000'000'000 != 0) return 3;
  return 0;
}

int digits_of(Precision precision, int needed) {
  switch (precision) {
    case Precision::s:
      return 0;
    case Precision::ms:
      return 3;
    case Precision::us:
      return 6;
    case Precision::ns:
      return 9;
    case Precision::automatic:
      break;
  }
  return needed;
}

char* write_instant(char* out, Instant t, int digits, const Zone* zone) {
  using namespace std::chrono;
  // The local time of an instant near the ends of the range may lie outside it; so the seconds
  // and the fraction go apart.
  const sys_seconds whole = floor<seconds>(t);
  const std::int64_t fraction = past_second(t).count();
  // RFC 3339 has no seconds in offsets: of local mean times the nearest whole minute, and the clock
  // with it, so that the instant is the same.
  const seconds offset =
      zone != nullptr ? round<minutes>(zone->offset_stretch(whole).offset) : minutes(0);
  const sys_seconds shown = whole + offset;
  const sys_days day = floor<days>(shown);
  const year_month_day date(day);
  const auto clock = static_cast<unsigned>((shown - day).count());

  const auto year = static_cast<unsigned>(static_cast<int>(date.year()));
  out = write_two(out, year / 100);
  out = write_two(out, year % 100);
  *out++ = '-';
  out = write_two(out, static_cast<unsigned>(date.month()));
  *out++ = '-';
  out = write_two(out, static_cast<unsigned>(date.day()));
  *out++ = 'T';
  out = write_two(out, clock / 3600);
  *out++ = ':';
  out = write_two(out, clock / 60 % 60);
  *out++ = ':';
  out = write_two(out, clock % 60);
  if (digits > 0) {
    *out++ = '.';
    std::int64_t unit = 100'000'000;
    for (int i = 0; i < digits; ++i, unit /= 10) {
      *out++ = static_cast<char>('0' + fraction / unit % 10);
    }
  }
  if (zone == nullptr) {
    *out++ = 'Z';
    return out;
  }
  const auto size = static_cast<unsigned>(offset.count() < 0 ? -offset.count() : offset.count());
  *out++ = offset.count() < 0 ? '-' : '+';
  out = write_two(out, size / 3600);
  *out++ = ':';
  out = write_two(out, size / 60 % 60);
  return out;
}

std::string to_text(Instant t) { return to_text(t, digits_needed(t)); }

std::string to_text(Instant t, int digits, const Zone* zone) {
  char text[longest_instant];
  return std::string(text, write_instant(text, t, digits, zone));
}

}  // namespace zerobeat
