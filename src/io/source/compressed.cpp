#include "io/source/compressed.hpp"

#include <archive.h>
#include <archive_entry.h>
#include <bzlib.h>
#include <fmt/format.h>
#include <lzma.h>
#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <array>
#include <cstring>
#include <filesystem>
#include <new>
#include <span>
#include <zerobeat/base/error.hpp>

#include "io/source/stream.hpp"

namespace zerobeat::inline v1::detail {

namespace {

/// What a compressed file begins with, and what its endings are.
struct Packing {
  std::string_view magic;
  std::string_view endings;
};
constexpr Packing gzip{"\x1f\x8b", ".gz .tgz"};
constexpr Packing bzip2{"BZh", ".bz2 .tbz2"};
constexpr Packing xz{std::string_view("\xfd"
                                      "7zXZ\0",
                                      6),
                     ".xz .txz"};
constexpr Packing zstd{"\x28\xb5\x2f\xfd", ".zst"};
constexpr std::array packings{gzip, bzip2, xz, zstd};

constexpr std::string_view zip_magic = "PK\x03\x04", empty_zip_magic = "PK\x05\x06";

/// What became of a step of unpacking.
enum class Unpacking { goes_on, ended, starved, damaged };

struct GzipStream {
  static constexpr std::string_view name = "gzip";
  GzipStream() {
    constexpr int gzip_only = 16 + MAX_WBITS;
    if (inflateInit2(&state, gzip_only) != Z_OK) throw std::bad_alloc();
  }
  ~GzipStream() { inflateEnd(&state); }
  GzipStream(const GzipStream&) = delete;
  GzipStream& operator=(const GzipStream&) = delete;

  bool begin() { return inflateReset(&state) == Z_OK; }
  Unpacking step(std::string_view& in, std::span<char>& out) {
    state.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(in.data()));
    state.avail_in = static_cast<uInt>(in.size());
    state.next_out = reinterpret_cast<Bytef*>(out.data());
    state.avail_out = static_cast<uInt>(out.size());
    const int result = inflate(&state, Z_NO_FLUSH);
    in = in.substr(in.size() - state.avail_in);
    out = out.last(state.avail_out);
    if (result == Z_STREAM_END) return Unpacking::ended;
    if (result == Z_OK) return Unpacking::goes_on;
    if (result == Z_BUF_ERROR) return Unpacking::starved;
    return Unpacking::damaged;
  }
  std::string what() const { return state.msg != nullptr ? state.msg : ""; }

  z_stream state{};
};

struct Bzip2Stream {
  static constexpr std::string_view name = "bzip2";
  Bzip2Stream() {
    if (BZ2_bzDecompressInit(&state, 0, 0) != BZ_OK) throw std::bad_alloc();
  }
  ~Bzip2Stream() { BZ2_bzDecompressEnd(&state); }
  Bzip2Stream(const Bzip2Stream&) = delete;
  Bzip2Stream& operator=(const Bzip2Stream&) = delete;

  bool begin() {
    BZ2_bzDecompressEnd(&state);
    state = {};
    return BZ2_bzDecompressInit(&state, 0, 0) == BZ_OK;
  }
  Unpacking step(std::string_view& in, std::span<char>& out) {
    state.next_in = const_cast<char*>(in.data());
    state.avail_in = static_cast<unsigned>(in.size());
    state.next_out = out.data();
    state.avail_out = static_cast<unsigned>(out.size());
    const bool had = !in.empty();
    const std::size_t room = out.size();
    const int result = BZ2_bzDecompress(&state);
    in = in.substr(in.size() - state.avail_in);
    out = out.last(state.avail_out);
    if (result == BZ_STREAM_END) return Unpacking::ended;
    if (result != BZ_OK) return Unpacking::damaged;
    return had || out.size() != room ? Unpacking::goes_on : Unpacking::starved;
  }
  std::string what() const { return "its checksum or its blocks are not right"; }

  bz_stream state{};
};

struct XzStream {
  static constexpr std::string_view name = "xz";
  XzStream() {
    if (!begin()) throw std::bad_alloc();
  }
  ~XzStream() { lzma_end(&state); }
  XzStream(const XzStream&) = delete;
  XzStream& operator=(const XzStream&) = delete;

  bool begin() { return lzma_stream_decoder(&state, UINT64_MAX, 0) == LZMA_OK; }
  Unpacking step(std::string_view& in, std::span<char>& out) {
    state.next_in = reinterpret_cast<const std::uint8_t*>(in.data());
    state.avail_in = in.size();
    state.next_out = reinterpret_cast<std::uint8_t*>(out.data());
    state.avail_out = out.size();
    const lzma_ret result = lzma_code(&state, LZMA_RUN);
    in = in.substr(in.size() - state.avail_in);
    out = out.last(state.avail_out);
    if (result == LZMA_STREAM_END) return Unpacking::ended;
    if (result == LZMA_OK) return Unpacking::goes_on;
    if (result == LZMA_BUF_ERROR) return Unpacking::starved;
    return Unpacking::damaged;
  }
  std::string what() const { return "its checksum or its blocks are not right"; }

  lzma_stream state = LZMA_STREAM_INIT;
};

struct ZstdStream {
  static constexpr std::string_view name = "zstd";
  ZstdStream() : state(ZSTD_createDStream()) {
    if (state == nullptr) throw std::bad_alloc();
  }
  ~ZstdStream() { ZSTD_freeDStream(state); }
  ZstdStream(const ZstdStream&) = delete;
  ZstdStream& operator=(const ZstdStream&) = delete;

  bool begin() { return ZSTD_isError(ZSTD_initDStream(state)) == 0; }
  Unpacking step(std::string_view& in, std::span<char>& out) {
    ZSTD_inBuffer from{in.data(), in.size(), 0};
    ZSTD_outBuffer to{out.data(), out.size(), 0};
    const std::size_t result = ZSTD_decompressStream(state, &to, &from);
    const bool moved = from.pos > 0 || to.pos > 0;
    in = in.substr(from.pos);
    out = out.subspan(to.pos);
    if (ZSTD_isError(result) != 0) {
      why = ZSTD_getErrorName(result);
      return Unpacking::damaged;
    }
    if (result == 0) return Unpacking::ended;
    return moved ? Unpacking::goes_on : Unpacking::starved;
  }
  std::string what() const { return why; }

  ZSTD_DStream* state;
  std::string why{};
};

/// Compressed streams one after the other, to the last byte: what is cut, damaged, or followed by
/// what is none is an error. Zeros after a stream are padding.
template <typename Codec>
class Unpacker {
 public:
  explicit Unpacker(const SourceText& file) : file_(file), rest_(file.text) {
    if (!codec_.begin()) throw std::bad_alloc();
  }

  std::size_t read(std::span<char> out) {
    std::span<char> room = out;
    while (!room.empty() && !done_) {
      // In pieces, so that what was read can be let go of.
      constexpr std::size_t most = std::size_t{1} << 24;
      std::string_view in = rest_.substr(0, most);
      const std::size_t had = in.size();
      const Unpacking result = codec_.step(in, room);
      rest_.remove_prefix(had - in.size());
      if (at() - released_ >= most) {
        file_.release(released_, at());
        released_ = at();
      }
      switch (result) {
        case Unpacking::goes_on:
          break;
        case Unpacking::ended:
          next_stream();
          break;
        case Unpacking::starved:
          if (rest_.empty()) fail("is cut short: its compressed bytes end in the middle");
          break;
        case Unpacking::damaged:
          if (begin_ > 0 && !file_.text.substr(begin_).starts_with(file_.text.substr(0, 2))) {
            fail(fmt::format("goes on with bytes that are not {}", Codec::name));
          }
          fail(fmt::format("is damaged: {}: {}", Codec::name, codec_.what()));
      }
    }
    return out.size() - room.size();
  }

 private:
  std::size_t at() const { return file_.text.size() - rest_.size(); }

  [[noreturn]] void fail(const std::string& what) const {
    fail_input("{}: byte {}: {}; fetch it again", file_.name, at(), what);
  }

  /// Goes on to the stream after, if there is one.
  void next_stream() {
    const std::size_t next = std::min(rest_.find_first_not_of('\0'), rest_.size());
    rest_.remove_prefix(next);
    done_ = rest_.empty();
    begin_ = at();
    if (!done_ && !codec_.begin()) throw std::bad_alloc();
  }

  SourceText file_;
  std::string_view rest_;
  Codec codec_;
  std::size_t begin_ = 0;  // of the stream that is being read
  std::size_t released_ = 0;
  bool done_ = false;
};

/// An archive, as libarchive reads it.
class Archive {
 public:
  explicit Archive(const SourceText& file) : file_(file), archive_(archive_read_new()) {
    archive* const own = archive_.get();
    archive_read_support_format_tar(own);
    archive_read_support_format_zip(own);
    const int opened = archive_read_open_memory(own, file_.text.data(), file_.text.size());
    if (opened != ARCHIVE_OK) fail();
  }
  Archive(const Archive&) = delete;
  Archive& operator=(const Archive&) = delete;

  /// The name of the next file in it; nullopt at the end.
  std::optional<std::string> next() {
    for (;;) {
      archive_entry* entry = nullptr;
      const int result = archive_read_next_header(archive_.get(), &entry);
      if (result == ARCHIVE_EOF) return std::nullopt;
      if (result != ARCHIVE_OK && result != ARCHIVE_WARN) fail();
      if (archive_entry_filetype(entry) != AE_IFREG) continue;
      const char* name = archive_entry_pathname_utf8(entry);
      if (name == nullptr) name = archive_entry_pathname(entry);
      return name != nullptr ? name : "";
    }
  }

  std::size_t read(std::span<char> out) {
    const la_ssize_t got = archive_read_data(archive_.get(), out.data(), out.size());
    if (got < 0) fail();
    return static_cast<std::size_t>(got);
  }

 private:
  [[noreturn]] void fail() const {
    const char* const what = archive_error_string(archive_.get());
    std::string text = what != nullptr ? what : "it can't be read";
    fail_input("{}: is damaged or cut short: {}; fetch it again", file_.name, text);
  }

  SourceText file_;
  struct Free {
    void operator()(archive* own) const { archive_read_free(own); }
  };
  std::unique_ptr<archive, Free> archive_;
};

template <typename Codec>
Stream::Fill unpacking(const SourceText& file) {
  auto unpacker = std::make_shared<Unpacker<Codec>>(file);
  return [unpacker](std::span<char> out) { return unpacker->read(out); };
}

Stream::Fill fill_of(const SourceText& file) {
  if (file.text.starts_with(gzip.magic)) return unpacking<GzipStream>(file);
  if (file.text.starts_with(bzip2.magic)) return unpacking<Bzip2Stream>(file);
  if (file.text.starts_with(xz.magic)) return unpacking<XzStream>(file);
  return unpacking<ZstdStream>(file);
}

SourceText text_of(std::string name, std::shared_ptr<Stream> stream) {
  SourceText text;
  text.name = std::move(name);
  text.owner = stream;
  text.stream = std::move(stream);
  return text;
}

constexpr std::size_t tar_block = 512;

bool is_tar(std::string_view head) { return head.size() >= 262 && head.substr(257, 5) == "ustar"; }

bool is_zip(std::string_view head) {
  return head.starts_with(zip_magic) || head.starts_with(empty_zip_magic);
}

bool is_compressed(std::string_view head) {
  return std::ranges::any_of(
      packings, [&](const Packing& packing) { return head.starts_with(packing.magic); });
}

/// A compressed file that was cut within its very first bytes.
void refuse_cut_to_first_bytes(const SourceText& file) {
  const std::string ending = std::filesystem::path(file.name).extension().string();
  if (ending.empty() || file.text.empty()) return;
  for (const Packing& packing : packings) {
    const bool is_it =
        (" " + std::string(packing.endings) + " ").find(" " + ending + " ") != std::string::npos;
    if (is_it && file.text.size() < packing.magic.size() && packing.magic.starts_with(file.text)) {
      fail_input(
          "{}: byte {}: is cut short: its compressed bytes end in the middle; fetch it again",
          file.name, file.text.size());
    }
  }
}

/// An archive says where it ends: a tar by blocks of zeros, a zip by its directory. One that does
/// not was cut, maybe just between two files; what follows it does not belong to it.
void check_end(const SourceText& file) {
  const std::string_view text = file.text;
  if (is_tar(text)) {
    const std::size_t whole = text.size() / tar_block * tar_block;
    const bool ends = text.size() == whole && whole >= tar_block &&
                      text.substr(whole - tar_block).find_first_not_of('\0') == text.npos;
    if (!ends) {
      fail_input(
          "{}: byte {}: is cut short, or goes on with what does not belong to it: an archive "
          "ends with a block of zeros; fetch it again",
          file.name, text.size());
    }
    return;
  }
  // The end of a zip's directory: 22 bytes and a comment (APPNOTE 4.3.16).
  constexpr std::size_t end_bytes = 22, longest_comment = 65'535;
  const std::size_t from =
      text.size() > end_bytes + longest_comment ? text.size() - end_bytes - longest_comment : 0;
  for (std::size_t at = text.rfind(empty_zip_magic); at != text.npos && at >= from;
       at = at == 0 ? text.npos : text.rfind(empty_zip_magic, at - 1)) {
    if (text.size() - at < end_bytes) continue;
    const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(text[at + i]); };
    const std::size_t comment = byte(20) | static_cast<std::size_t>(byte(21)) << 8;
    if (at + end_bytes + comment == text.size()) return;
  }
  fail_input(
      "{}: byte {}: is cut short, or goes on with what does not belong to it: its directory "
      "does not end there; fetch it again",
      file.name, text.size());
}

}  // namespace

bool begins_as_packed(std::string_view head) {
  return is_compressed(head) || is_zip(head) || is_tar(head);
}

Container container_of(const SourceText& file) {
  refuse_cut_to_first_bytes(file);
  const std::string_view head = file.text;
  if (is_zip(head) || is_tar(head)) return Container::archive;
  if (!is_compressed(head)) return Container::none;
  std::string inside(packed_head, '\0');
  const auto fill = fill_of(file);
  std::size_t got = 0;
  while (got < inside.size()) {
    const std::size_t n = fill({inside.data() + got, inside.size() - got});
    if (n == 0) break;
    got += n;
  }
  return is_tar(std::string_view(inside).substr(0, got)) ? Container::packed_archive
                                                         : Container::compressed;
}

std::vector<std::string> members_of(const SourceText& file) {
  Archive archive(file);
  std::vector<std::string> names;
  while (auto name = archive.next()) names.push_back(std::move(*name));
  check_end(file);
  return names;
}

SourceText uncompressed(const SourceText& file, std::size_t most) {
  return text_of(file.name, std::make_shared<Stream>(
                                file.name, [file] { return fill_of(file); }, most));
}

SourceText member_text(const SourceText& file, const std::string& member, std::size_t most) {
  const std::string name = file.name + ":" + member;
  const auto open = [file, member, name]() -> Stream::Fill {
    auto archive = std::make_shared<Archive>(file);
    while (const auto found = archive->next()) {
      if (*found == member) {
        return [archive](std::span<char> out) { return archive->read(out); };
      }
    }
    fail_input("{}: is not there any more", name);
  };
  return text_of(name, std::make_shared<Stream>(name, open, most));
}

}  // namespace zerobeat::detail
