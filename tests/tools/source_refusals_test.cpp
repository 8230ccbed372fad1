// Sources and places that can't be read or written, word for word: what was wrong, where, and what
// to do. Nothing is left behind.

#include "support/tool.hpp"

namespace zerobeat::testing::source_refusals {

namespace {

struct SourceFile {
  const char* name;
  const char* text;
};
constexpr SourceFile files[] = {
    {"header_only_quote.csv", "time,\"x\n2025-10-20,1\n"},
    {"twice.csv", "time,x,x\n2025-10-20,1,2\n"},
    {"notime.csv", "a,b\nx,y\nz,w\n"},
    {"clock.csv", "clock,x\n10:00,1\n10:01,2\n"},
    {"comment.csv", "# port\n# quay\n"},
    {"blank.csv", "\n\n\n"},
    {"delim.csv", "time|x\n2025-10-20|1\n"},
    {"mixed.csv", "time,x\n2025-10-20,1\n"},
    {"array.jsonl", "[1,2]\n[3]\n"},
    {"words.jsonl", "not json\n"},
    {"twokeys.csv", "time,k,x\n2025-10-20,a,1\n"},
    {"arrow.arrow", "ARROW1 but nothing of it\n"},
    {"cut.parquet.csv", "PAR1\n"},
    {"dup.csv", "time,x\n2025-10-20,1\n"},
    {"ambiguous.csv", "time,x\n01/02/2025,1\n02/03/2025,2\n"},
    {"plain.csv", "time,x\n2025-10-20T00:00:00Z,1\n2025-10-20T00:01:00Z,2\n"},
    {"local.csv", "time,x\n2025-10-26 01:30:00,1\n"},
    {"huge.csv", "time,x\n9999-01-01,1\n"},
    {"text.csv", "time,x\n2025-10-20,a\n2025-10-21,b\n"},
};

struct Refusal {
  int exit;
  const char* words;
  const char* told;  ///< how the first line begins
};
constexpr Refusal refusals[] = {
    {3, "settle none.csv", "none.csv: there is no such file"},
    {3, "settle .", ".: is a directory; name a file in it"},
    {3, "settle \"none*.csv\"", "none*.csv: no file has a name that fits this pattern"},
    {3, "settle header_only_quote.csv",
     "header_only_quote.csv:1: byte 0: a quote in the header does not close"},
    {3, "settle twice.csv",
     "twice.csv:1: two columns are named \"x\" (columns 2 and 3); rename one, or pass over the "
     "header: --skip-lines 1 --no-header"},
    {3, "settle notime.csv",
     "notime.csv: no column reads as times; there is a, b. Name one with --time, and its format "
     "with --time-format; records without times get them from zerobeat stamp; lines be"},
    {3, "settle clock.csv",
     "clock.csv: no column reads as times; there is clock, x. \"clock\" holds clocks without a "
     "date, like 10:00: name the column of the days with it (--time DAY+clock), or put th"},
    {3, "settle clock.csv --time clock",
     "clock.csv: \"clock\" holds clocks without a date, like 10:00: name the column of the days "
     "with it (--time DAY+clock), or put the date before each, or number the records wit"},
    {3, "settle comment.csv --comment \"#\"",
     "comment.csv: has no header; it is empty but for blank lines and comments"},
    {3, "settle blank.csv",
     "blank.csv: has no header; it is empty but for blank lines and comments"},
    {2, "settle plain.csv --delimiter .",
     "the delimiter and the decimal mark are both \".\"; give --delimiter"},
    {2, "settle plain.csv --decimal comma --delimiter ,",
     "the delimiter and the decimal mark are both \",\"; give --delimiter"},
    {3, "settle array.jsonl",
     "array.jsonl: its first lines are no JSON objects; JSON lines have one on each line"},
    {3, "settle words.jsonl",
     "words.jsonl: its first lines are no JSON objects; JSON lines have one on each line"},
    {3, "settle arrow.arrow",
     "arrow.arrow: byte 25: is damaged or cut short: the mark at its end is not there; fetch it "
     "again"},
    {3, "settle ambiguous.csv",
     "ambiguous.csv: column \"time\": whether day or month comes first can't be told: "
     "\"01/02/2025\" and \"02/03/2025\" read both ways; as day/month they are from 2025-02-01 to "
     "2025-"},
    {2, "settle plain.csv --no-header --time c3",
     "--time: plain.csv has no column \"c3\"; did you mean c1?"},
    {3, "settle plain.csv --from sqlite", "plain.csv: file is not a database"},
    {3, "settle plain.csv --from arrow",
     "plain.csv: byte 0: is damaged or cut short: it ends within a message; fetch it again"},
    {3, "settle plain.csv --from netcdf", "plain.csv: NetCDF: Unknown file format"},
    {2, "settle plain.csv --query \"select 1\" --table t --from sqlite",
     "--table and --query: one of them says what is read"},
    {2, "settle plain.csv --member a.csv", "--member a.csv: plain.csv is no archive"},
    {5, "settle plain.csv -o none/out.csv",
     "none/out.csv: can't be written: No such file or directory"},
    {5, "settle plain.csv -o .", ".: can't be written: Is a directory"},
    {5, "settle plain.csv --account none/a.json -o o.csv",
     "none/a.json: can't be written: No such file or directory"},
    {5, "settle plain.csv --rejects none/r.csv",
     "none/r.csv: can't be written: No such file or directory"},
    {5, "settle plain.csv -o out.csv --as-plan none/p.toml",
     "none/p.toml: can't be written: No such file or directory"},
    {2, "resample plain.csv --every 1h --take \"mean(y)\"",
     "resample: there is no column \"y\"; there is x"},
    {3, "settle plain.csv --key time",
     "plain.csv: no column reads as times; there is time, x. Name one with --time, and its format "
     "with --time-format; records without times get them from zerobeat stamp; lines "},
    {4, "settle plain.csv --time x --time-format \"%Y\"",
     "plain.csv: 2 of 2 records are at fault; no data was written"},
    {2, "settle plain.csv --time x --time-format epoch:1s",
     "settle: --time-format epoch:1s: \"epoch:1s\" is not epoch:UNIT:ORIGIN, like "
     "epoch:100ns:1601-01-01"},
    {2, "settle plain.csv --time-format epoch:100ns",
     "settle: --time-format epoch:100ns: \"epoch:100ns\" is not epoch:UNIT:ORIGIN, like "
     "epoch:100ns:1601-01-01"},
    {3, "join plain.csv none.csv", "none.csv: there is no such file"},
    {2, "join plain.csv text.csv --match linear",
     "join: --match linear: column \"x\" holds text, which can't be read between; leave it out "
     "with --columns, or match otherwise"},
    {3, "settle huge.csv",
     "huge.csv: no column reads as times; there is time, x. Name one with --time, and its format "
     "with --time-format; records without times get them from zerobeat stamp; lines b"},
    {2, "settle plain.csv --text x --number x",
     "--text and --number both name \"x\"; it is one or the other"},
    {2, "settle plain.csv --text y", "--text: plain.csv has no column \"y\"; there is time, x"},
    {3, "resample plain.csv --every 1d --holidays none.ics",
     "resample: none.ics: there is no such file"},
    {2, "stamp plain.csv --rate 1Hz --time time",
     "stamp: --time time: stamp is for records without a time; see settle"},
    {2, "settle plain.csv --to tsv -o x.csv --if-exists fail --into \"a b\"",
     "--into: is for databases; x.csv is tsv"},
};

}  // namespace

TEST_CASE("sources that can't be read, and places that can't be written, are told", "[refusals]") {
  const Bench bench;
  for (const SourceFile& file : files) bench.put(file.name, file.text);
  const auto before = bench.files();
  for (const auto& [exit, words, told] : refusals) {
    INFO(words);
    const Result result = bench.run(words);
    CHECK(result.exit == exit);
    CHECK_THAT(result.err, Catch::StartsWith(std::string("zerobeat: ") + told));
    CHECK(result.out.empty());
    CHECK(bench.files() == before);
  }
}

}  // namespace zerobeat::testing::source_refusals
