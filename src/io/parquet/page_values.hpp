/// The values of a page of one column, a few at a time, in each way that they may be written.

#pragma once

#include <cstdint>
#include <deque>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <variant>
#include <vector>
#include <zerobeat/base/export.hpp>

#include "io/parquet/runs.hpp"
#include "io/parquet/words.hpp"

namespace zerobeat {
inline namespace ZEROBEAT_API v1 {
namespace detail {

/// Texts that are put together while they are read.
using TextStore = std::deque<std::string>;

/// Values of a fixed width as they stand: 4 or 8 bytes each.
struct PlainWords {
  std::string_view bytes{};
  std::size_t width = 8;

  void next(std::span<std::uint64_t> out);
};

/// Booleans, a bit each.
struct PlainBits {
  std::string_view bytes{};
  std::uint64_t at = 0;

  void next(std::span<std::uint64_t> out);
};

/// Booleans in runs.
struct RunBits {
  HybridRuns runs{};

  void next(std::span<std::uint64_t> out);
};

/// Words whose first bytes all stand together, then their second bytes, and so on.
struct SplitWords {
  std::string_view bytes{};
  std::size_t width = 8, count = 0, at = 0;

  void next(std::span<std::uint64_t> out);
};

/// Bytes behind their length, in four bytes.
struct PlainTexts {
  std::string_view bytes{};

  void next(std::span<std::string_view> out, TextStore& store);
};

/// Bytes of one length, as they stand, or split as words are.
struct FixedTexts {
  std::string_view bytes{};
  std::size_t length = 0;
  bool split = false;
  std::size_t count = 0, at = 0;

  void next(std::span<std::string_view> out, TextStore& store);
};

/// All lengths first, then all bytes.
struct LengthTexts {
  DeltaRuns lengths{};
  std::string_view bytes{};

  LengthTexts() = default;
  LengthTexts(std::string_view page, std::uint64_t most);
  void next(std::span<std::string_view> out, TextStore& store);
};

/// Each as what it shares with the one before, and what follows.
struct SharedTexts {
  DeltaRuns shared{};
  LengthTexts rest{};
  std::string before{};
  std::size_t fixed_length = 0;  ///< of values of one length; 0: of any

  SharedTexts() = default;
  SharedTexts(std::string_view page, std::size_t length, std::uint64_t most);
  void next(std::span<std::string_view> out, TextStore& store);
};

/// DictionaryPlaces in a dictionary.
struct DictionaryPlaces {
  HybridRuns runs{};

  void next(std::span<std::uint32_t> out) { runs.next(out); }
};

using PageValues = std::variant<PlainWords, PlainBits, RunBits, SplitWords, DeltaRuns, PlainTexts,
                                FixedTexts, LengthTexts, SharedTexts, DictionaryPlaces>;

/// Whether values of a type are read as texts: bytes of any or one length, and 96-bit integers.
inline bool is_bytes(Physical type) {
  return type == Physical::byte_array || type == Physical::fixed || type == Physical::int96;
}

/// A page's values, `most` at most. `length` is that of fixed bytes. Throws DamagedPage when they
/// can't be so.
PageValues page_values(ParquetEncoding encoding, Physical type, std::size_t length,
                       std::string_view bytes, std::uint64_t most);

}  // namespace detail
}  // namespace v1
}  // namespace zerobeat
