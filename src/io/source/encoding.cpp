#include "io/source/encoding.hpp"

#include <iconv.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <vector>
#include <zerobeat/base/error.hpp>
#include <zerobeat/base/option.hpp>
#include <zerobeat/base/text.hpp>

#include "io/source/stream.hpp"
#include "io/text/split_delimited.hpp"

namespace zerobeat::inline v1::detail {

namespace {

[[noreturn]] void fail_unknown(const std::string& encoding) {
  fail_usage("‹encoding› {}: iconv does not know it; iconv -l names those that there are",
             shown(encoding));
}

/// A name without its marks, in small letters.
std::string plain_name(std::string_view encoding) {
  std::string plain;
  for (const char c : encoding) {
    if (c != '-' && c != '_') plain += static_cast<char>(c >= 'A' && c <= 'Z' ? c - 'A' + 'a' : c);
  }
  return plain;
}

/// The bytes that one unit of an encoding takes: what is skipped where there is no character.
std::size_t width_of(const std::string& encoding) {
  const std::string plain = plain_name(encoding);
  if (plain.starts_with("utf16") || plain.starts_with("ucs2")) return 2;
  if (plain.starts_with("utf32") || plain.starts_with("ucs4")) return 4;
  return 1;
}

/// Turns a text into UTF-8, block after block, and remembers where the blocks began.
class Recoder {
 public:
  Recoder(SourceText text, const std::string& encoding, std::size_t begin)
      : text_(std::move(text)), from_(begin), state_(iconv_open("UTF-8", encoding.c_str())) {
    if (state_ == reinterpret_cast<iconv_t>(-1)) {
      fail_unknown(encoding);
    }
    width_ = width_of(encoding);
  }
  Recoder(const Recoder&) = delete;
  Recoder& operator=(const Recoder&) = delete;
  ~Recoder() { iconv_close(state_); }

  std::size_t read(std::span<char> out) {
    blocks_.push_back({made_, from_});
    found_.made = ~std::uint64_t{0};
    const std::size_t n = turn(from_, out, out.size());
    made_ += n;
    return n;
  }

  /// Where a byte of the UTF-8 stood: its block is turned again, up to it. Whoever asks for bytes
  /// in their order has each turned once.
  std::uint64_t file_byte(std::uint64_t byte) {
    auto block = std::ranges::upper_bound(blocks_, byte, {}, &Block::made);
    if (block == blocks_.begin()) return byte;
    --block;
    if (found_.made < block->made || found_.made > byte) {
      found_ = *block;
      iconv(state_, nullptr, nullptr, nullptr, nullptr);
    }
    std::string scratch(byte - found_.made, '\0');
    if (!scratch.empty()) {
      found_.made += turn(found_.from, {scratch.data(), scratch.size()}, scratch.size());
    }
    return found_.from;
  }

 private:
  struct Block {
    std::uint64_t made;
    std::size_t from;
  };

  /// Turns what begins at `from` into at most `most` bytes.
  std::size_t turn(std::size_t& from, std::span<char> out, std::size_t most) {
    constexpr std::size_t step = std::size_t{1} << 16;
    char* to = out.data();
    std::size_t room = most;
    while (room > 0) {
      const std::string_view text = text_.until(from + step);
      if (from >= text.size()) break;
      char* in = const_cast<char*>(text.data()) + from;
      std::size_t left = std::min(step, text.size() - from);
      const bool last = from + left == text.size() && text_.is_whole();
      const std::size_t before = left;
      const std::size_t result = iconv(state_, &in, &left, &to, &room);
      from += before - left;
      if (result != static_cast<std::size_t>(-1) || errno == E2BIG) {
        if (errno == E2BIG && result == static_cast<std::size_t>(-1)) break;
        continue;
      }
      if (errno == EINVAL && !last && left < before) continue;  // a character cut by the step
      // No character of the encoding.
      *to++ = '\xff';
      --room;
      from = std::min(from + width_, text.size());
      iconv(state_, nullptr, nullptr, nullptr, nullptr);
    }
    return most - room;
  }

  SourceText text_;
  std::size_t from_;
  std::uint64_t made_ = 0;
  iconv_t state_;
  std::size_t width_ = 1;  // bytes of the encoding's units
  std::vector<Block> blocks_;
  Block found_{~std::uint64_t{0}, 0};  // where file_byte() was last, with iconv's state
};

}  // namespace

std::string encoding_by_mark(std::string_view head) {
  if (head.starts_with("\xff\xfe")) return "UTF-16LE";
  if (head.starts_with("\xfe\xff")) return "UTF-16BE";
  return "";
}

namespace {

/// Whether every byte of a text makes sense in an encoding.
bool fits(const std::string& encoding, std::string_view text) {
  const iconv_t state = iconv_open("UTF-8", encoding.c_str());
  if (state == reinterpret_cast<iconv_t>(-1)) fail_unknown(encoding);
  std::array<char, 1 << 16> room;
  char* from = const_cast<char*>(text.data());
  std::size_t left = text.size();
  bool fits = true;
  while (left > 0 && fits) {
    char* to = room.data();
    std::size_t space = room.size();
    fits =
        iconv(state, &from, &left, &to, &space) != static_cast<std::size_t>(-1) || errno == E2BIG;
  }
  iconv_close(state);
  return fits;
}

}  // namespace

std::string fitting_encoding(const std::string& names, const SourceText& text) {
  const auto all = split_commas(names);
  if (all.size() < 2) return names;
  std::string fitting;
  for (const auto& name : all) {
    const bool is_it = is_utf8_name(name) ? is_utf8(text.all()) : fits(name, text.all());
    if (is_it && fitting.empty()) fitting = name;
  }
  return fitting.empty() ? all[0] : fitting;
}

bool is_utf8_name(std::string_view encoding) { return plain_name(encoding) == "utf8"; }

SourceText in_utf8(const SourceText& text, const std::string& named,
                   std::function<std::uint64_t(std::uint64_t)>& file_byte) {
  // The mark says which of the two a text in UTF-16 is, whatever it is called; it is no character.
  const std::string marked = encoding_by_mark(text.until(2));
  const bool is_wide = !marked.empty() && plain_name(named).starts_with("utf16");
  const std::string encoding = is_wide ? marked : named;
  const std::size_t begin = is_wide ? 2 : 0;
  auto current =
      std::make_shared<std::shared_ptr<Recoder>>(std::make_shared<Recoder>(text, encoding, begin));
  file_byte = [current](std::uint64_t byte) { return (*current)->file_byte(byte); };
  auto stream = std::make_shared<Stream>(
      text.name,
      [current, text, encoding, begin]() -> Stream::Fill {
        *current = std::make_shared<Recoder>(text, encoding, begin);
        return [recoder = *current](std::span<char> out) { return recoder->read(out); };
      },
      std::size_t{1} << 38);
  SourceText made;
  made.name = text.name;
  made.owner = stream;
  made.stream = std::move(stream);
  made.regular = text.regular;
  return made;
}

}  // namespace zerobeat::detail
