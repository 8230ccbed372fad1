// The account and the rejects: why records were not kept, and where they stand.
// usage: account_and_rejects tide_gauge.csv rejects.csv

#include <zerobeat/zerobeat.hpp>

using namespace zerobeat;

int main(int argc, char** argv) {
  if (argc != 3) return 2;
  const Records tide = read_csv(argv[1], {.time = "observed_at"});
  const SourceAccount& account = *tide.source;

  fmt::print("{} of {} records were kept\n", account.kept, account.records);
  for (const Fault& fault : account.faults) {
    fmt::print("line {}: {}: {}\n", fault.line, word(fault.reason), account.text_of(fault));
  }

  // What the judgement notices beyond single records.
  for (const Finding& finding : judge(tide).findings) {
    fmt::print("{} {}: {}\n", finding.count, finding.kind, finding.message);
  }

  Output rejects(argv[2]);
  write_rejects_header(account, rejects);
  write_rejects(account, rejects);
  rejects.commit();  // until here, there is no file

  // Going on is a decision: here, half a percent at fault would be too much for us.
  try {
    check_limits(account, {.tolerate = Tolerable{0.5, true}});
  } catch (const Error& error) {
    fmt::print("{}\n", error.what());
  }
}
