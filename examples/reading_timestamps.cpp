// Timestamps by themselves: find the format, prove the order of day and month, read and judge.
// usage: example_reading_timestamps TIMESTAMP…

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  const std::vector<std::string> texts(argv + 1, argv + argc);
  const auto format = find_time_format(texts);
  if (!format) {
    fmt::print("no format reads half of these\n");
    return 1;
  }
  TimestampReader reader(
      {.format = *format, .zone = Zone::find("Europe/Dublin"), .repeated = Repeated::reject});
  for (const auto& text : texts) {
    const TimeReading reading = reader.read(text);
    fmt::print("{}: {}\n", text,
               reading.verdict == TimeVerdict::ok         ? to_text(reading.instant)
               : reading.verdict == TimeVerdict::repeated ? "happens twice that night"
                                                          : "can't be read");
  }
  const auto decision = decide_date_order(reader.counts(), format->order);
  fmt::print("read as {}{}\n", to_text(*format),
             decision.ambiguous ? ", but day and month could be the other way round" : "");
  return 0;
}
