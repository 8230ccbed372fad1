#include <zerobeat/time/moment.hpp>
#include <zerobeat/time/timestamp.hpp>

namespace zerobeat::inline v1 {

Instant Moment::in(const Zone& zone) const { return read_instant(text, zone); }

void from_text(std::string_view text, Moment& out) {
  // On an elapsed axis a time is a number; whether it fits is known where the axis is.
  if (!read_elapsed(text, ElapsedUnit::s)) static_cast<void>(read_instant(text, Zone()));
  out.text = text;
}

std::string to_text(const Moment& moment) { return moment.text; }

}  // namespace zerobeat
