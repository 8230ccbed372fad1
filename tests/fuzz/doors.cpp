// Every door but delimited text: the first byte says how the rest is to be taken. Whatever it is,
// there are records or an error, and the same ones however the text is cut into chunks.

#include <zerobeat/base/error.hpp>
#include <zerobeat/io/read.hpp>

#include "invariants.hpp"
#include "io/parquet/parquet_file.hpp"
#include "io/source/read_task.hpp"

namespace {

using namespace zerobeat;

/// The records of a text; nothing when there are none.
std::shared_ptr<const SourceAccount> read(const std::string& text, detail::ReadTask options,
                                          std::size_t chunk_bytes) {
  options.chunk_bytes = chunk_bytes;
  try {
    const Records records = read_text(text, options, "door");
    const SourceAccount& account = *records.source;
    HOLDS(account.records == account.kept + account.rejected + account.merged);
    HOLDS(account.kept == static_cast<std::int64_t>(records.size()));
    for (const Fault& fault : account.faults) {
      HOLDS(fault.line > 0);
      account.text_of(fault);
    }
    return records.source;
  } catch (const Error&) {
    return nullptr;
  }
}

/// Of a Parquet file: a few bytes may be a run of more rows than there is time for.
bool says_too_many_rows(const std::string& text) {
  constexpr std::int64_t most = 50'000;
  if (!text.starts_with(detail::parquet_mark)) return false;
  try {
    const detail::SourceText source = detail::source_of(text, "door");
    const detail::ParquetFile file(source);
    std::int64_t rows = 0;
    for (const auto& group : file.metadata().row_groups) rows += group.num_rows;
    return rows > most;
  } catch (const Error&) {
    return false;
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const unsigned char* data, std::size_t size) {
  if (size < 2) return 0;
  ReadOptions options;
  options.date_order = DateOrder::dmy;
  const unsigned char how = data[0];
  constexpr InputFormat formats[] = {InputFormat::jsonl, InputFormat::arrow, InputFormat::sqlite,
                                     InputFormat::automatic};
  options.from = formats[how % 4];
  if ((how & 4) != 0) options.encoding = "latin1";
  if ((how & 8) != 0) options.key = "k";
  if ((how & 16) != 0) options.thousands = ",";
  if ((how & 32) != 0) options.strip = "$%";
  if ((how & 64) != 0) {
    options.delimiter = Delimiter(' ');
    options.delimiter->runs = true;
  }
  // NetCDF is read by a library that is not made for whatever comes.
  const std::string text(reinterpret_cast<const char*>(data) + 1, size - 1);
  if (text.starts_with("CDF") || text.starts_with("\x89HDF")) return 0;
  if (says_too_many_rows(text)) return 0;
  const auto whole = read(text, options, 0), cut = read(text, options, 16);
  HOLDS((whole == nullptr) == (cut == nullptr));
  if (whole != nullptr) {
    HOLDS(whole->by_reason == cut->by_reason);
    HOLDS(whole->faults == cut->faults);
  }
  return 0;
}
