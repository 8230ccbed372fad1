// From a table of a database to an Arrow file, and the same columns to whoever takes them in
// memory. usage: database_to_arrow DATABASE TABLE FILE.arrow

#include <fmt/format.h>

#include <zerobeat/clean/settle.hpp>
#include <zerobeat/io/arrow_data.hpp>
#include <zerobeat/io/read.hpp>
#include <zerobeat/io/write.hpp>
#include <zerobeat/regular/resample.hpp>

int main(int count, char** words) {
  using namespace zerobeat;
  if (count != 4) return 2;

  // A path of a SQLite database, or postgresql://HOST/DATABASE.
  const Records records = read_records(words[1], {.key = "probe", .table = words[2]});
  fmt::print("{}\n", to_text(records.account()));

  const Timeline hourly = resample(settle(records), {.every = {Period(std::chrono::hours(1))}});
  write(hourly, words[3]);  // by its ending

  // What another library would take: two structs, no copy, released by whoever took them.
  ArrowSchema schema;
  ArrowArray array;
  export_arrow(hourly, &schema, &array);
  fmt::print("{} rows of {} columns, the first of type {}\n", array.length, array.n_children,
             schema.children[0]->format);
  array.release(&array);
  schema.release(&schema);
}
