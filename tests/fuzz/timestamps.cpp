// The timestamp reader: the first byte chooses how, each line of the rest is a timestamp.

#include <vector>
#include <zerobeat/time/time_form.hpp>
#include <zerobeat/time/timestamp.hpp>

#include "invariants.hpp"

namespace {

using namespace zerobeat;

const char* const formats[] = {"iso",
                               "epoch-s",
                               "epoch-ms",
                               "epoch-us",
                               "epoch-ns",
                               "dmy",
                               "mdy",
                               "ymd",
                               "named",
                               "compact",
                               "serial-1900",
                               "serial-1904",
                               "%d/%m/%Y %H:%M:%S.%f %z",
                               "%a %b %e %I:%M %p %Y %Z",
                               "%j %y %T",
                               "%s"};

TimestampOptions options_of(unsigned char choice, unsigned char second) {
  static const Zone zones[] = {Zone(), Zone::find("Europe/Dublin"),
                               Zone::find("Australia/Lord_Howe")};
  TimestampOptions options;
  from_text(formats[choice % std::size(formats)], options.format);
  if (second % 4 == 0) {
    TimeFormat also;
    from_text(formats[second / 4 % std::size(formats)], also);
    options.also = also;
  }
  options.zone = zones[second % std::size(zones)];
  options.repeated = static_cast<Repeated>(choice / 16 % 4);
  options.skipped = static_cast<Skipped>(choice / 64 % 2);
  return options;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  if (size < 2) return 0;
  const TimestampOptions options = options_of(data[0], data[1]);
  std::string_view rest(reinterpret_cast<const char*>(data) + 2, size - 2);
  std::vector<std::string_view> texts;
  while (!rest.empty()) {
    const std::size_t end = rest.find('\n');
    texts.push_back(rest.substr(0, end));
    rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
  }
  TimestampReader one(options), many(options);
  std::vector<TimeReading> read(texts.size());
  many.read(texts, read);
  TimestampReader iso({.format = format_of(TimeFormat::Kind::iso)});
  for (std::size_t i = 0; i < texts.size(); ++i) {
    const TimeReading time_reading = one.read(texts[i]);
    HOLDS(time_reading.verdict == read[i].verdict);
    HOLDS(time_reading.instant == read[i].instant);
    HOLDS(time_reading.later_by == read[i].later_by);
    HOLDS(time_reading.verdict != TimeVerdict::undecided || options.repeated == Repeated::order);
    if (time_reading.verdict != TimeVerdict::ok) continue;
    // What is written reads back the same.
    HOLDS(iso.read(to_text(time_reading.instant)).instant == time_reading.instant);
    for (const char* form : {"epoch-s", "epoch-ms", "epoch-us", "epoch-ns"}) {
      TimeForm how;
      TimeFormat back;
      from_text(form, how);
      from_text(form, back);
      std::string text;
      append_time(text, time_reading.instant, how, 9, nullptr, {});
      TimestampReader reader({.format = back});
      HOLDS(reader.read(text).instant == time_reading.instant);
    }
  }
  HOLDS(one.counts().with_offset == many.counts().with_offset);
  HOLDS(one.counts().without_offset == many.counts().without_offset);
  return 0;
}
