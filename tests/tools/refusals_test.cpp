// What the command line refuses, word for word: the value that was wrong, and what would be right.
// Nothing is written, whatever the mistake.

#include <span>

#include "support/tool.hpp"

namespace zerobeat::testing::refusals {

namespace {

constexpr const char* tide =
    "time,level_m,gear\n2025-10-20T00:00:00Z,1.5,net\n2025-10-20T00:06:00Z,2.5,line\n"
    "2025-10-20T00:12:00Z,,net\n2025-10-20T00:18:00Z,3,pot\n";
constexpr const char* store =
    "time,probe,temp_c\n2025-10-20T00:00:00Z,a,1\n2025-10-20T00:01:00Z,b,2\n"
    "2025-10-20T00:06:00Z,a,3\n";
constexpr const char* winch = "rate;25 Hz\na;b\n1;2\n3;4\n";

struct Refusal {
  int exit;
  const char* words;
  const char* told;  ///< the first line
};

void check_refusals(std::span<const Refusal> refusals) {
  const Bench bench;
  bench.put("tide.csv", tide);
  bench.put("store.csv", store);
  bench.put("winch.csv", winch);
  for (const auto& [exit, words, told] : refusals) {
    INFO(words);
    const Result result = bench.run(words);
    CHECK(result.exit == exit);
    CHECK(result.err.substr(0, result.err.find('\n')) == std::string("zerobeat: ") + told);
    CHECK(result.out.empty());
    CHECK(bench.files() == std::vector<std::string>{"store.csv", "tide.csv", "winch.csv"});
  }
}

}  // namespace

TEST_CASE("options of reading and writing that can't be", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "settle", "settle: name a file to read; - is standard input"},
      {2, "settle tide.csv store.csv", "settle: reads one file, not 2: tide.csv, store.csv"},
      {2, "settle tide.csv --duplicates some",
       "settle: --duplicates some: \"some\" is not a choice; there is keep, first, last, mean, "
       "reject"},
      {2, "settle tide.csv --key probe",
       "--key: tide.csv has no column \"probe\"; there is time, level_m, gear"},
      {2, "settle tide.csv --key gear+gear", "--key gear+gear: \"gear\" is named twice"},
      {2, "settle tide.csv --time level",
       "--time: tide.csv has no column \"level\"; did you mean level_m?"},
      {2, "settle tide.csv --time level_m+level_m",
       "--time level_m+level_m: \"level_m\" is named twice"},
      {2, "settle tide.csv --columns depth",
       "--columns: tide.csv has no column \"depth\"; there is time, level_m, gear"},
      {2, "settle tide.csv --date-order ddmm",
       "settle: --date-order ddmm: \"ddmm\" is not a choice; there is dmy, mdy, ymd"},
      {2, "settle tide.csv --zone Mars/Base",
       "settle: --zone Mars/Base: \"Mars/Base\" is not a zone; zones are named like Europe/Dublin"},
      {2, "settle tide.csv --time-format %Q",
       "settle: --time-format %Q: \"%Q\": %Q is not a conversion; there is %Y %m %d %H %M %S %f %z "
       "%b %p and others"},
      {2, "settle tide.csv --time-format elapsed-s --zone Europe/Dublin",
       "--zone Europe/Dublin: times read as elapsed-s have no zone"},
      {2, "settle tide.csv --repeated maybe",
       "settle: --repeated maybe: \"maybe\" is not a choice; there is earlier, later, order, "
       "reject"},
      {2, "settle tide.csv --not-before soon",
       "settle: --not-before soon: \"soon\" is not a time; write it like 2025-10-26T01:30:00Z"},
      {2, "settle tide.csv --tolerate many",
       "settle: --tolerate many: \"many\" is neither a number of records nor a percentage; write "
       "it like 12 or 0.5%"},
      {2, "settle tide.csv --thousands ab", "--thousands \"ab\": a grouping mark is one character"},
      {2, "settle tide.csv --thousands .",
       "--thousands .: is the decimal mark, too; see --decimal"},
      {2, "settle tide.csv --delimiter ab",
       "settle: --delimiter ab: \"ab\" is not one character (or tab)"},
      {2, "settle tide.csv --encoding klingon",
       "--encoding klingon: iconv does not know it; iconv -l names those that there are"},
      {2, "settle tide.csv --from xls",
       "settle: --from xls: \"xls\" is not a choice; there is auto, csv, tsv, jsonl, arrow, "
       "parquet, sqlite, postgresql, netcdf"},
      {2, "settle tide.csv --from postgresql",
       "--from postgresql: tide.csv is no postgresql:// address"},
      {2, "settle tide.csv --skip-lines -1", "--skip-lines -1: a number of lines is not negative"},
      {2, "settle tide.csv --member x", "--member x: tide.csv is no archive"},
      {2, "settle tide.csv --to xls",
       "--to xls: there is no such format; there is auto, csv, tsv, jsonl, arrow, parquet, sqlite, "
       "postgresql, text"},
      {2, "settle tide.csv -o out.xls",
       "out.xls: no format has the ending .xls; there is .csv, .tsv .tab, .jsonl .ndjson, .arrow, "
       ".parquet, .sqlite .sqlite3 .db, .txt, each with .gz or .zst after it, or say which it is: "
       "--to csv"},
      {2, "settle tide.csv -o tide.csv",
       "tide.csv: one file can't be the input and the output (-o); name another"},
      {2, "settle tide.csv -o out.csv -o more.csv",
       "settle: --output is given twice: out.csv and more.csv"},
      {2, "settle tide.csv --precision h",
       "settle: --precision h: \"h\" is not a choice; there is auto, s, ms, us, ns"},
      {2, "settle tide.csv --threads 0", "settle: --threads 0: from 1 to 1024"},
      {2, "settle tide.csv --threads x", "settle: --threads x: \"x\" is not a whole number"},
      {2, "settle tide.csv --rejects tide.csv",
       "tide.csv: one file can't be the input and --rejects of tide; name another"},
      {2, "settle tide.csv -o r.csv --rejects r.csv",
       "r.csv: one file can't be --rejects of tide and the output (-o); name another"},
      {2, "settle tide.csv --account -",
       "--account -: the data goes to standard output; name a file for one of the two"},
      {2, "settle tide.csv --as-plan -", "--as-plan -: a plan goes into a file of its own"},
      {2, "settle tide.csv --tolerance 1h",
       "settle: there is no option --tolerance; did you mean --tolerate?"},
      {2, "settle tide.csv --quite", "settle: there is no option --quite; did you mean --quiet?"},
      {2, "settel tide.csv", "\"settel\" is not a command; did you mean settle?"},
      {2, "--quiet settle tide.csv",
       "a command comes first, then its options: zerobeat COMMAND --quiet …; zerobeat help lists "
       "them"},
      {2, "stamp winch.csv",
       "stamp takes one of --rate RATE, --rate-from NAME, --every PERIOD and --count-from N"},
      {2, "stamp tide.csv --rate 1Hz --start soon",
       "stamp: --start soon: \"soon\" is not a time; write it like 2025-10-26T01:30:00Z"},
      {2, "stamp winch.csv --rate fast",
       "stamp: --rate fast: \"fast\" is not a rate; write samples a second, like 44100, 51.2kHz or "
       "0.5Hz"},
      {2, "stamp winch.csv --rate 0Hz",
       "stamp: --rate 0Hz: \"0Hz\" is not a rate; write samples a second, like 44100, 51.2kHz or "
       "0.5Hz"},
      {2, "stamp winch.csv --rate 1Hz --every 1s",
       "stamp: --every 1s: stamp takes one of --rate RATE, --rate-from NAME, --every PERIOD and "
       "--count-from N, not several"},
      {3, "stamp winch.csv --rate-from speed",
       "winch.csv: --rate-from: no line before the header is named \"speed\"; there is rate"},
      {2, "stamp winch.csv --rate 1Hz --elapsed",
       "stamp: --elapsed: the times are seconds elapsed already"},
      {2, "stamp winch.csv --count-from 1 --start 2025-10-20",
       "stamp: --count-from goes with no start, and with no elapsed time"},
  };
  check_refusals(refusals);
}

TEST_CASE("rows and columns that can't be chosen or computed", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "select tide.csv --between 2025-10-21,2025-10-20",
       "select: --between 2025-10-21,2025-10-20: the first is later than the second"},
      {2, "select tide.csv --between soon,",
       "select: --between soon,: \"soon\" is not a time; write it like 2025-10-26T01:30:00Z"},
      {2, "select tide.csv --first 0s", "select: --first 0: a stretch is longer than zero"},
      {2, "select tide.csv --hours 25:00-26:00",
       "select: --hours 25:00-26:00: \"25:00\" is not a clock time; hours are written like "
       "09:00-17:30"},
      {2, "select tide.csv --hours 09:00",
       "select: --hours 09:00: \"09:00\" are no hours; write them like 09:00-17:30"},
      {2, "select tide.csv --weekdays mon-fry",
       "select: --weekdays mon-fry: \"fry\" is not a weekday; did you mean fri?"},
      {2, "select tide.csv --months 13",
       "select: --months 13: \"13\" is not a month; months are numbers from 1 to 12, like 5-8,12"},
      {2, "select tide.csv --keys a",
       "select: --keys a: there is no key; name the column that tells series apart: --key"},
      {2, "select store.csv --key probe --keys c",
       "select: --keys: there is no probe c; there is a, b"},
      {2, "select tide.csv --where level",
       "select: --where: there is no column level; did you mean level_m?"},
      {2, "select tide.csv --where 'level_m >'",
       "select: --where level_m >: the expression ends here; a number, column or text is missing"},
      {2, "select tide.csv --where 'level_m > 1 2'",
       "select: --where level_m > 1 2: a sign or word is missing before this, like + or and"},
      {2, "select tide.csv --where 'level_m + 1'",
       "select: --where: this is a number, not a condition; compare it, like x > 0"},
      {2, "select tide.csv --where '(level_m > 1'",
       "select: --where (level_m > 1: this bracket is not closed"},
      {2, "select tide.csv --where 'gear > 1'",
       "select: --where: > compares a text with a number; texts stand in single quotes, columns in "
       "double ones"},
      {2, "select tide.csv --where \"gear = 'pot\"",
       "select: --where gear = 'pot: this quote is not closed"},
      {2, "select tide.csv --where 'root(level_m) > 1'",
       "select: --where root(level_m) > 1: there is no function root; "
       "there is abs, sqrt, exp, log, log10, log2, sin, cos, tan, asin, acos, atan, floor, ceil, "
       "round, sign, min, max, if, known, coalesce, year, month, day, hour, minute, second, "
       "weekday, "
       "yearday, elapsed, row"},
      {2, "select tide.csv --where 'abs(level_m,1) > 1'",
       "select: --where abs(level_m,1) > 1: abs is written abs(x)"},
      {2, "select tide.csv --where 'time > 1'",
       "select: --where: the time is no reading; year(), month() … weekday() are its parts, "
       "elapsed() the seconds since the strand's first row, and select --between chooses by it"},
      {2, "select tide.csv --where '1 < level_m < 3'",
       "select: --where 1 < level_m < 3: a comparison is of two; write a < b and b < c"},
      {2, "select tide.csv --where 'level_m == 1'",
       "select: --where level_m == 1: == is written ="},
      {2, "select tide.csv --columns a",
       "select: there is no column \"a\"; there is level_m, gear"},
      {2, "compute tide.csv",
       "compute: compute takes --set NAME=EXPRESSION, like --set level_ft=level_m*3.2808"},
      {2, "compute tide.csv --set y",
       "compute: --set y: \"y\" has no name before =; write it like level_ft=level_m*3.2808"},
      {2, "compute tide.csv --set '=1'",
       "compute: --set =1: \"=1\" has no name before =; write it like level_ft=level_m*3.2808"},
      {2, "compute tide.csv --set 'time=1'",
       "compute: --set time: that is the name of the time; give the column another"},
      {2, "compute tide.csv --set 'y=gear+1'",
       "compute: --set y: + is between numbers; this is a text"},
      {2, "compute tide.csv --set 'y=level_m@'",
       "compute: --set y=level_m@: \"\" is not a time; after @ stands first, last, or a time like "
       "2025-01 or '2025-01-05 10:00', and a sign after it behind a space"},
  };
  check_refusals(refusals);
}

TEST_CASE("buckets, profiles and tables that can't be made", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "resample tide.csv",
       "resample: resample takes one of --every PERIOD, --buckets N, --by-count N, --by-sum and "
       "--by-value"},
      {2, "resample tide.csv --every 0s", "resample: --every 0: a bucket is longer than zero"},
      {2, "resample tide.csv --every 15mn",
       "resample: --every 15mn: \"15mn\": \"mn\" is not a unit; did you mean min?"},
      {2, "resample tide.csv --every 1M",
       "resample: --every 1M: \"1M\": \"M\" is not a unit; did you mean month or min?"},
      {2, "resample tide.csv --every 1d2h",
       "resample: \"1d2h\" mixes calendar and fixed parts; a grid takes one of them, like 36h or "
       "2d"},
      {2, "resample tide.csv --every 1h --buckets 3",
       "resample: --buckets 3: resample takes one of --every PERIOD, --buckets N, --by-count N, "
       "--by-sum and --by-value, not several"},
      {2, "resample tide.csv --every 1h,1h", "resample: --every 1h,1h: 1h is there twice"},
      {2, "resample tide.csv --every 1ns",
       "resample: --every 1ns would make 1,080,000,000,001 buckets, more than 1,000,000,000; take "
       "a longer period, or --empty skip"},
      {2, "resample tide.csv --buckets 0", "resample: --buckets 0: there is at least one bucket"},
      {2, "resample tide.csv --by-count 0",
       "resample: --by-count 0: a bucket holds at least one record"},
      {2, "resample tide.csv --by-sum level_m",
       "resample: --by-sum level_m: \"level_m\" lacks a column or a size; write it like kg:1000"},
      {2, "resample tide.csv --by-sum gear:3",
       "resample: --by-sum gear:3: column \"gear\" holds text, not numbers"},
      {2, "resample tide.csv --by-sum level_m:-1",
       "resample: --by-sum level_m:-1: \"level_m:-1\": the size is above zero"},
      {2, "resample tide.csv --by-value depth:1",
       "resample: there is no column \"depth\"; there is level_m, gear"},
      {2, "resample tide.csv --buckets 3 --anchor 2025-10-20",
       "resample: --anchor, --week-starts and --hours go with --every"},
      {2, "resample tide.csv --every 1wk --anchor 2025-10-20 --week-starts mon",
       "resample: --anchor and --week-starts contradict each other: both say where a week starts"},
      {2, "resample tide.csv --every 1h --week-starts mon",
       "resample: --week-starts goes with periods of weeks, like --every 1wk"},
      {2, "resample tide.csv --every 1h --edge middle",
       "resample: --edge middle: \"middle\" is not a choice; there is start, end"},
      {2, "resample tide.csv --by-count 2 --edge end",
       "resample: --edge end goes with --every and --buckets; these buckets are closed by records"},
      {2, "resample tide.csv --every 1h --min-count -1",
       "resample: --min-count -1: a number of readings is not negative"},
      {2, "resample tide.csv --every 1h --min-coverage 2",
       "resample: --min-coverage 2: a share goes from 0 to 1"},
      {2, "resample tide.csv --every 1h --take 'mean(gear)'",
       "resample: mean(gear): column \"gear\" holds text, not numbers; of those there are count "
       "first last distinct mode missing first_time last_time duration"},
      {2, "resample tide.csv --every 1h --weekend mon",
       "resample: a grid of working days has a period of days, like 1d or 5d; \"1h\" is not one"},
      {2, "resample tide.csv --every 1d --hours 09:00-17:00 --anchor 2025-10-20",
       "resample: hours and an anchor contradict each other: both say where a bucket starts"},
      {2, "profile tide.csv", "profile: say what it goes by: --by hour, or --by weekday,hour"},
      {2, "profile tide.csv --by hour,hour", "profile: --by hour,hour: hour is there twice"},
      {2, "profile tide.csv --by fortnight",
       "profile: --by fortnight: \"fortnight\" is none of minute hour day weekday yearday date "
       "week "
       "month quarter year, nor COLUMN:SIZE; there is minute, hour, day, weekday, yearday, date, "
       "week, month, quarter, year"},
      {2, "profile tide.csv --by gear:2",
       "profile: --by gear:2: column \"gear\" holds text, not numbers"},
      {2, "thin tide.csv --points 1", "thin: --points 1: a picture by triangles takes at least 3"},
      {2, "thin tide.csv --share 2", "thin: --share 2: a share goes from 0 to 1"},
      {2, "thin tide.csv --on gear", "thin: column \"gear\" holds text, not numbers"},
      {2, "describe tide.csv --on gear", "describe: column \"gear\" holds text, not numbers"},
      {2, "describe tide.csv --on depth",
       "describe: there is no column \"depth\"; there is level_m, gear"},
      {2, "gaps tide.csv --gap-factor 0", "gaps: --gap-factor 0: a number above 0"},
      {2, "gaps tide.csv --by fortnight",
       "gaps: --by fortnight: \"fortnight\" is none of minute hour day weekday yearday date week "
       "month "
       "quarter year, nor COLUMN:SIZE; there is minute, hour, day, weekday, yearday, date, week, "
       "month, "
       "quarter, year"},
      {2, "spells tide.csv", "spells: spells takes --where CONDITION, like --where 'level_m > 4'"},
      {2, "spells tide.csv --where 'level_m + 1'",
       "spells: --where: this is a number, not a condition; compare it, like x > 0"},
      {2, "spells tide.csv --where 'level_m > 1' --at-least 0s --bridge -1h",
       "spells: --bridge -1h: \"-1h\" is not a period; write it like 15min, 1h30min or 1d"},
      {2, "describe tide.csv + fill",
       "describe: makes a table, which nothing goes on from; it is the last step of a chain"},
  };
  check_refusals(refusals);
}

TEST_CASE("gaps and outliers that can't be mended so", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "fill tide.csv --how cubic",
       "fill: --how cubic: \"cubic\" is not a choice; did you mean spline?"},
      {2, "fill tide.csv --how constant",
       "fill: --how constant: constant needs its value: constant:0"},
      {2, "fill tide.csv --how constant:x", "fill: --how constant:x: \"x\" is not a number"},
      {2, "fill tide.csv --how like:gear", "fill: like:gear: it holds text, not numbers"},
      {2, "fill tide.csv --how like:level_m --on level_m",
       "fill: like:level_m: a column can't be filled by itself"},
      {2, "fill tide.csv --how seasonal",
       "fill: --how seasonal: seasonal needs its period: seasonal:1d"},
      {2, "fill tide.csv --on gear", "fill: column \"gear\" holds text, not numbers"},
      {2, "fill tide.csv --window 5", "fill: --window 5: it is of mean and median"},
      {2, "fill tide.csv --how mean --window 0",
       "fill: --window 0: \"0\" is no length; give at least 1 row"},
      {2, "fill tide.csv --max-gap 0",
       "fill: --max-gap 0: \"0\" is no length; give at least 1 row"},
      {2, "fill tide.csv --hide 0.1", "fill: --hide and --seed go with --try"},
      {2, "fill tide.csv --try linear,cubic",
       "fill: --try linear,cubic: \"cubic\" is not a choice; did you mean spline?"},
      {2, "fill tide.csv --try linear --hide 2",
       "fill: --hide 2: a share between 0 and 1, like 0.1"},
      {2, "clip tide.csv",
       "clip: clip takes one of --bounds LO,HI, --quantiles P,Q, --spread K, --deviations K and "
       "--fences K, or --stuck"},
      {2, "clip tide.csv --bounds 4,1", "clip: --bounds 4,1: \"4,1\": the lower one comes first"},
      {2, "clip tide.csv --bounds 1",
       "clip: --bounds 1: \"1\" is not two numbers; write it like 0,10"},
      {2, "clip tide.csv --quantiles 0.9,0.1",
       "clip: --quantiles 0.9,0.1: \"0.9,0.1\": the lower one comes first"},
      {2, "clip tide.csv --quantiles 2,3",
       "clip: --quantiles 2,3: shares go from 0 to 1, the lower one first, like 0.01,0.99"},
      {2, "clip tide.csv --spread 0", "clip: --spread 0: \"0\": a number above 0, like 3"},
      {2, "clip tide.csv --spread 3 --fences 3",
       "clip: --fences 3: clip takes one of --bounds LO,HI, --quantiles P,Q, --spread K, "
       "--deviations K and --fences K, or --stuck, not several"},
      {2, "clip tide.csv --bounds 0,4 --window 5",
       "clip: --window goes with what judges by its neighbourhood: fixed --bounds have no window"},
      {2, "clip tide.csv --stuck 1", "clip: --stuck 1: a run has two readings at least, or lasts"},
      {2, "clip tide.csv --spread 3 --min-count 0", "clip: --min-count 0: at least 1 reading"},
      {2, "clip tide.csv --bounds 0,4 --on gear", "clip: column \"gear\" holds text, not numbers"},
      {2, "fill tide.csv + plot -o x.png + roll",
       "plot: is the last step of a chain: … + plot -o FIGURE.png"},
      {2, "fill tide.csv + settle store.csv",
       "settle: store.csv: a later step works on what the one before made; name files in the "
       "first"},
      {2, "fill tide.csv + stamp --rate 1Hz",
       "stamp: is the first step of a chain: it is for records without times"},
      {2, "fill tide.csv --how linear --how next", "fill: --how is given twice: linear and next"},
      {2, "fill tide.csv +", "fill: a + has a step on both sides: fill … + roll …"},
  };
  check_refusals(refusals);
}

TEST_CASE("windows and distances that can't be", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "roll tide.csv",
       "roll: --window: level_m_mean=mean(level_m) needs one: a number of records, or a period "
       "like 2h"},
      {2, "roll tide.csv --window 0", "roll: --window 0: \"0\" is no length; give at least 1 row"},
      {2, "roll tide.csv --window -1h",
       "roll: --window -1h: \"-1h\" is not a period; write it like 15min, 1h30min or 1d"},
      {2, "roll tide.csv --window 1h --place middle",
       "roll: --place middle: \"middle\" is not a choice; there is trailing, centred, leading"},
      {2, "roll tide.csv --window 5 --take 'twmean(level_m)'",
       "roll: level_m_twmean=twmean(level_m): readings stand for a time, so it goes with a window "
       "of a period, not of 5 records"},
      {2, "roll tide.csv --window 5 --weights 1,2",
       "roll: --weights 1,2: 2 weights for a window of 5 records; give one for each"},
      {2, "roll tide.csv --window 5 --weights triangle --take 'max(level_m)'",
       "roll: --weights go with mean(x), not with level_m_max=max(level_m)"},
      {2, "roll tide.csv --window 5 --weights 1,x,3,4,5",
       "roll: --weights 1,x,3,4,5: \"1,x,3,4,5\": \"x\" is no weight; give numbers, like 1,2,1, or "
       "triangle, or split"},
      {2, "roll tide.csv --window 5 --weights split",
       "roll: --window 5: split weights are of an even number of records; an odd one is centred as "
       "it is"},
      {2, "roll tide.csv --window 5 --restart 1d",
       "roll: --restart goes with cumsum(x), ewma(x,A) and their like; a window does not start "
       "again"},
      {2, "roll tide.csv --window 5 --min-count -1",
       "roll: --min-count -1: a number of readings is not negative"},
      {2, "roll tide.csv --window 5,5", "roll: --window 5,5: \"5,5\": 5 is given twice"},
      {2, "lag tide.csv --by 0", "lag: --by 0: \"0\" is no length; give at least 1 row"},
      {2, "lag tide.csv --by -1",
       "lag: --by -1: \"-1\" is not a period; write it like 15min, 1h30min or 1d"},
      {2, "lag tide.csv --order 0 --take 'diff(level_m)'", "lag: --order 0: from 1 to 60"},
      {2, "lag tide.csv --order 2 --take 'lag(level_m)'",
       "lag: --order 2: it is of diff(x), which is not among the takes"},
      {2, "lag tide.csv --by 1h --order 2 --take 'change(level_m)'",
       "lag: --order 2: it is of diff(x), which is not among the takes"},
  };
  check_refusals(refusals);
}

TEST_CASE("sources that can't be brought together so", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "join tide.csv", "join: name at least 2 files to read; - is standard input"},
      {2, "join tide.csv store.csv --match sideways",
       "join: --match sideways: \"sideways\" is not a choice; there is previous, earlier, exact, "
       "next, nearest, linear"},
      {2, "join tide.csv store.csv --tolerance -1h",
       "join: --tolerance -1h: \"-1h\" is not a period; write it like 15min, 1h30min or 1d"},
      {2, "join tide.csv store.csv --key store:probe",
       "join: store has the key \"probe\" and tide has none; give tide a key too, or put store on "
       "the left"},
      {2, "join tide.csv store.csv --zone x:UTC",
       "join: --zone x:UTC: \"x:UTC\" is not a zone; did you mean UTC?"},
      {2, "join tide.csv store.csv --keep right",
       "join: --keep right: \"right\" is not a choice; there is left, both, all"},
      {2, "align tide.csv store.csv",
       "align: align takes --onto: a period, like 15min, union, common, or the name of the source "
       "whose times are the axis"},
      {2, "align tide.csv store.csv --onto 15mn",
       "align: --onto 15mn: \"15mn\": \"mn\" is not a unit; did you mean min?"},
      {2, "align tide.csv store.csv --onto nowhere",
       "align: --onto nowhere: it is no period, and no source here; there is union, common, tide, "
       "store"},
      {2, "align tide.csv store.csv --onto union --how mean",
       "align: --how mean: a statistic is of a grid's buckets; --onto is union"},
      {2, "align tide.csv store.csv --onto 1h --how tide:depth=mean",
       "align: there is no column \"depth\"; there is level_m, gear"},
      {2, "align tide.csv store.csv --onto 1h --how tide:gear=mean",
       "align: --how tide:gear=mean: column \"gear\" holds text, not numbers"},
      {2, "align tide.csv store.csv --onto 1h --how other:mean",
       "align: --how other:mean: other is not a source here; there is tide, store"},
      {2, "align tide.csv store.csv --onto 1h --how mean,max",
       "align: --how: mean and max are for the same"},
      {2, "align tide.csv store.csv --onto union --anchor 2025-10-20",
       "align: --anchor and --week-starts go with a grid: --onto PERIOD"},
      {2, "shift tide.csv",
       "shift: shift takes --by PERIOD, --drift PPM --at T, or --to-event CONDITION"},
      {2, "shift tide.csv --by 1h --to-event 'level_m > 1'",
       "shift: --to-event stands alone; --by and --drift move times otherwise"},
      {2, "shift tide.csv --drift 5",
       "shift: --drift and --at go together: a drift is counted from an instant"},
      {2, "shift tide.csv --to-event 'level_m > 1' --unit y",
       "shift: --unit y: \"y\" is not a choice; there is s, min, h, d"},
      {2, "shift tide.csv --by 1x",
       "shift: --by 1x: \"1x\": \"x\" is not a unit; there is ns, us, ms, s, min, h, d, wk, month, "
       "quarter, year"},
      {2, "reshape tide.csv",
       "reshape: reshape --into wide: there is no key to make columns of; name one: --key"},
      {2, "reshape tide.csv --into wide",
       "reshape: reshape --into wide: there is no key to make columns of; name one: --key"},
      {2, "tune tide.csv",
       "tune: name two sources, the right one first, or the strand that is right: --against KEY"},
      {2, "tune tide.csv store.csv --on depth",
       "tune: --on depth: tide has no such column; there is level_m, gear"},
      {4, "tune tide.csv tide.csv --on level_m",
       "tune: tide_2: no match: of 3 readings and the reference's 3, ten must lie in the time that "
       "both share, and not all at one instant"},
      {2, "tune store.csv --key probe --on temp_c --against c",
       "tune: --against c: there is no such strand; there is a, b"},
  };
  check_refusals(refusals);
}

TEST_CASE("pictures, plans and chains that can't be", "[refusals]") {
  static constexpr Refusal refusals[] = {
      {2, "plot tide.csv",
       "plot: say where the picture goes: -o FIGURE.png (or .svg, .pdf); without it plot draws in "
       "a "
       "terminal, and standard output is none"},
      {2, "plot tide.csv -o x.gif", "x.gif: a figure's file ends in .png, .svg or .pdf"},
      {2, "plot tide.csv -o x.png --y depth",
       "plot: there is no column \"depth\" to draw; there is level_m, gear"},
      {2, "plot tide.csv -o x.png --y gear", "plot: column \"gear\" holds no numbers to draw"},
      {2, "plot tide.csv -o x.png --size 10x10",
       "plot: --size 10x10: \"10x10\": width and height go from 100 to 20000 pixels"},
      {2, "plot tide.csv -o x.png --size big",
       "plot: --size big: \"big\" is not a size; write it like 1280x800"},
      {2, "plot tide.csv -o x.png --y-range 4,1",
       "plot: --y-range 4,1: \"4,1\": the lower one comes first"},
      {2, "plot tide.csv -o x.png --log --y-range -1,4",
       "plot: --y-range -1,4: a logarithmic axis begins above zero"},
      {2, "plot tide.csv -o x.png --by hour",
       "plot: --by is no option of it any more; plot draws what the step before it made:"},
      {2, "plot tide.csv -o x.png --scatter level_m",
       "plot: --scatter level_m: \"level_m\" is not two columns; write it like "
       "temperature_c,humidity_pct"},
      {2, "plot tide.csv -o x.png --line", "plot: --line goes with --scatter X,Y"},
      {2, "plot tide.csv -o x.png --scale 0", "plot: --scale 0: a pixel is drawn as 1 to 8"},
      {2, "plot tide.csv -o x.png --log-x",
       "plot: --log-x: times of the calendar have no logarithm; it goes with --scatter, and with "
       "elapsed times"},
      {2, "plot tide.csv -o x.png --band low",
       "plot: --band low: \"low\" is not two columns; write it like level_m_low:level_m_high"},
      {2, "plot tide.csv -o x.png --names level_m",
       "plot: --names level_m: \"level_m\" is no COLUMN=NAME; a name that holds a comma stands in "
       "double quotes"},
      {2, "plot tide.csv -o x.png --x-range 2025-10-21,2025-10-20",
       "plot: --x-range 2025-10-21,2025-10-20: it begins where it ends, or later"},
      {2, "describe tide.csv + plot --keys a -o x.png",
       "plot: --keys does not go with the picture of describe; --title, --subtitle, --names, "
       "--size, --scale do. Rows are chosen by select before, columns by the step's own options"},
      {2, "plot tide.csv -o x.png --spells 'level_m +'",
       "plot: --spells level_m +: the expression ends here; a number, column or text is missing"},
      {2, "profile tide.csv --by hour,weekday,month + plot -o x.png",
       "plot: a picture goes by one part, or by two crossed, not by 3"},
      {2, "plot tide.csv -o tide.csv",
       "tide.csv: one file can't be the input and the output (-o); name another"},
      {2, "check tide.csv --gap-factor -1", "the gap factor is greater than 0; -1 is not"},
      {2, "check tide.csv + fill", "check: does not go into a chain"},
      {2, "check tide.csv --tune depth",
       "check: --tune depth: tide has no key; the clocks of its strands are compared with each "
       "other (--key), those of two sources with tune"},
      {2, "run", "run: name one plan: run PLAN.toml"},
      {3, "run nothere.toml", "nothere.toml: there is no such file, or it can't be read"},
      {2, "run tide.csv",
       "tide.csv:1: byte 5 of the line: Error while parsing key-value pair: expected '=', saw ','"},
      {2, "explain tide.csv --account a.json",
       "explain: --account a.json: nothing is done, so there is no account; see run"},
      {2, "demo a b", "demo: name one folder: demo FOLDER"},
      {2, "plot tide.csv -o x.png + fill",
       "plot: is the last step of a chain: … + plot -o FIGURE.png"},
  };
  check_refusals(refusals);
}

}  // namespace zerobeat::testing::refusals
