// The format finder: each line is a sample.

#include <algorithm>
#include <string>
#include <vector>
#include <zerobeat/time/timestamp.hpp>

#include "invariants.hpp"

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  using namespace zerobeat;
  std::string_view rest(reinterpret_cast<const char*>(data), size);
  std::vector<std::string> samples;
  while (!rest.empty()) {
    const std::size_t end = rest.find('\n');
    samples.emplace_back(rest.substr(0, end));
    rest.remove_prefix(end == std::string_view::npos ? rest.size() : end + 1);
  }
  const auto format = find_time_format(samples);
  if (!format) return 0;
  // It reads at least half of them, and its name reads back.
  TimestampReader reader({.format = *format, .repeated = Repeated::earlier});
  const auto reads = std::ranges::count_if(samples, [&](const std::string& sample) {
    const TimeVerdict verdict = reader.read(sample).verdict;
    return verdict == TimeVerdict::ok || verdict == TimeVerdict::out_of_range;
  });
  HOLDS(static_cast<std::size_t>(reads) * 2 >= samples.size());
  TimeFormat again;
  from_text(to_text(*format), again);
  HOLDS(again == *format);
  const auto order = decide_date_order(reader.counts(), format->order);
  HOLDS(order.also != order.order);
  const auto unit = decide_epoch_unit(reader.counts(), TimeFormat::Kind::epoch_s);
  HOLDS(unit.also != unit.unit && is_epoch(unit.unit));
  return 0;
}
