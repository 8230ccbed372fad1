#include "io/parquet/page_values.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstring>

namespace zerobeat::inline v1::detail {

namespace {

/// A text that stays as long as the store does.
std::string_view keep(TextStore& store, std::string_view first, std::string_view second) {
  constexpr std::size_t block = std::size_t{1} << 16;
  const std::size_t size = first.size() + second.size();
  if (store.empty() || store.back().capacity() - store.back().size() < size) {
    store.emplace_back().reserve(std::max(block, size));
  }
  std::string& last = store.back();
  last += first;
  last += second;
  return std::string_view(last).substr(last.size() - size);
}

/// What stands behind some numbers, of which there are no more than there are values.
std::string_view rest_of(DeltaRuns numbers, std::uint64_t most) {
  if (numbers.count() > most) throw DamagedPage("it has more lengths than values");
  return numbers.rest();
}

}  // namespace

void PlainWords::next(std::span<std::uint64_t> out) {
  const std::string_view front = take_front(bytes, out.size() * width);
  if (width == 8) {
    if (!out.empty()) std::memcpy(out.data(), front.data(), front.size());
    return;
  }
  for (std::size_t i = 0; i < out.size(); ++i) {
    out[i] = little_endian<std::uint32_t>(front.data() + 4 * i);
  }
}

void PlainBits::next(std::span<std::uint64_t> out) {
  if (out.size() > bytes.size() * 8 - at) throw DamagedPage("it ends too early");
  for (std::uint64_t& bit : out) {
    bit = static_cast<unsigned char>(bytes[at / 8]) >> (at % 8) & 1;
    ++at;
  }
}

void RunBits::next(std::span<std::uint64_t> out) {
  std::uint32_t some[256];
  while (!out.empty()) {
    const auto now = std::span(some).first(std::min(out.size(), std::size(some)));
    runs.next(now);
    std::ranges::copy(now, out.begin());
    out = out.subspan(now.size());
  }
}

void SplitWords::next(std::span<std::uint64_t> out) {
  if (out.size() > count - at) throw DamagedPage("it has too few values");
  std::ranges::fill(out, std::uint64_t{0});
  for (std::size_t byte = 0; byte < width; ++byte) {
    const char* const from = bytes.data() + byte * count + at;
    for (std::size_t i = 0; i < out.size(); ++i) {
      out[i] |= std::uint64_t{static_cast<unsigned char>(from[i])} << 8 * byte;
    }
  }
  at += out.size();
}

void PlainTexts::next(std::span<std::string_view> out, TextStore&) {
  for (std::string_view& text : out) {
    const auto length = take_front<std::uint32_t>(bytes);
    text = take_front(bytes, length);
  }
}

void FixedTexts::next(std::span<std::string_view> out, TextStore& store) {
  if (!split) {
    for (std::string_view& text : out) text = take_front(bytes, length);
    return;
  }
  if (out.size() > count - at) throw DamagedPage("it has too few values");
  std::string text(length, '\0');
  for (std::string_view& value : out) {
    for (std::size_t byte = 0; byte < length; ++byte) text[byte] = bytes[byte * count + at];
    value = keep(store, text, {});
    ++at;
  }
}

LengthTexts::LengthTexts(std::string_view page, std::uint64_t most)
    : lengths(page), bytes(rest_of(lengths, most)) {}

void LengthTexts::next(std::span<std::string_view> out, TextStore&) {
  std::uint64_t some[256];
  while (!out.empty()) {
    const auto now = std::span(some).first(std::min(out.size(), std::size(some)));
    lengths.next(now);
    for (std::size_t i = 0; i < now.size(); ++i) {
      if (now[i] > bytes.size()) throw DamagedPage("a text lies outside of it");
      out[i] = take_front(bytes, static_cast<std::size_t>(now[i]));
    }
    out = out.subspan(now.size());
  }
}

SharedTexts::SharedTexts(std::string_view page, std::size_t length, std::uint64_t most)
    : shared(page), rest(rest_of(shared, most), most), fixed_length(length) {}

void SharedTexts::next(std::span<std::string_view> out, TextStore& store) {
  rest.next(out, store);
  std::uint64_t some[256];
  for (std::size_t from = 0; from < out.size(); from += std::size(some)) {
    const auto now = std::span(some).first(std::min(out.size() - from, std::size(some)));
    shared.next(now);
    for (std::size_t i = 0; i < now.size(); ++i) {
      if (now[i] > before.size()) throw DamagedPage("a text shares more than there is");
      std::string_view& text = out[from + i];
      text =
          keep(store, std::string_view(before).substr(0, static_cast<std::size_t>(now[i])), text);
      if (fixed_length != 0 && text.size() != fixed_length) {
        throw DamagedPage("a value is not as long as its type");
      }
      before.assign(text);
    }
  }
}

PageValues page_values(ParquetEncoding encoding, Physical type, std::size_t length,
                       std::string_view bytes, std::uint64_t most) {
  const bool words = !is_bytes(type) && type != Physical::boolean;
  const std::size_t width = type == Physical::int32 || type == Physical::float32 ? 4 : 8;
  const bool whole = type == Physical::int32 || type == Physical::int64;
  switch (encoding) {
    case ParquetEncoding::plain:
      if (type == Physical::boolean) return PlainBits{bytes};
      if (type == Physical::byte_array) return PlainTexts{bytes};
      if (!words) return FixedTexts{bytes, length};
      return PlainWords{bytes, width};
    case ParquetEncoding::rle:
      if (type != Physical::boolean) break;
      return RunBits{HybridRuns(take_front(bytes, take_front<std::uint32_t>(bytes)), 1)};
    case ParquetEncoding::plain_dictionary:
    case ParquetEncoding::rle_dictionary: {
      // A page without a value may be empty.
      if (bytes.empty()) return DictionaryPlaces{};
      const auto bits = take_front<std::uint8_t>(bytes);
      return DictionaryPlaces{HybridRuns(bytes, bits)};
    }
    case ParquetEncoding::delta_binary_packed:
      if (!whole) break;
      return DeltaRuns(bytes);
    case ParquetEncoding::delta_length_byte_array:
      if (type != Physical::byte_array) break;
      return LengthTexts(bytes, most);
    case ParquetEncoding::delta_byte_array:
      if (type != Physical::byte_array && type != Physical::fixed) break;
      return SharedTexts(bytes, type == Physical::fixed ? length : 0, most);
    case ParquetEncoding::byte_stream_split: {
      if (type == Physical::fixed) {
        if (length == 0 || bytes.size() % length != 0) throw DamagedPage("it is of an odd size");
        return FixedTexts{bytes, length, true, bytes.size() / length};
      }
      if (!words || bytes.size() % width != 0) break;
      return SplitWords{bytes, width, bytes.size() / width};
    }
    default:
      break;
  }
  throw DamagedPage(fmt::format("its values are written in way {}, which its type does not have",
                                static_cast<std::int32_t>(encoding)));
}

}  // namespace zerobeat::detail
