#include "io/compressed.hpp"

#include <archive.h>
#include <archive_entry.h>
#include <zlib.h>

#include <algorithm>
#include <cstring>
#include <zerobeat/base/error.hpp>

#include "io/stream.hpp"

namespace zerobeat::detail {

namespace {

bool is_gzip(std::string_view head) { return head.starts_with("\x1f\x8b"); }

/// Gzip, whose checksums libarchive does not look at: one member after the other.
class Gzip {
 public:
  explicit Gzip(const SourceText& file) : file_(file), rest_(file.text) {
    constexpr int gzip_only = 16 + MAX_WBITS;
    if (inflateInit2(&state_, gzip_only) != Z_OK) fail("there is no memory to read it");
  }
  Gzip(const Gzip&) = delete;
  Gzip& operator=(const Gzip&) = delete;
  ~Gzip() { inflateEnd(&state_); }

  std::size_t read(std::span<char> out) {
    state_.next_out = reinterpret_cast<Bytef*>(out.data());
    state_.avail_out = static_cast<uInt>(out.size());
    while (state_.avail_out > 0 && !done_) {
      if (state_.avail_in == 0) feed();
      const uInt before = state_.avail_in;
      const int result = inflate(&state_, Z_NO_FLUSH);
      byte_ += before - state_.avail_in;
      if (result == Z_STREAM_END) {
        next_member();
      } else if (result == Z_BUF_ERROR && rest_.empty() && state_.avail_in == 0) {
        fail("is cut short: its compressed bytes end in the middle; fetch it again");
      } else if (result != Z_OK && result != Z_BUF_ERROR) {
        fail(state_.msg != nullptr ? fmt::format("is damaged: gzip: {}; fetch it again", state_.msg)
                                   : "is damaged; fetch it again");
      }
    }
    return out.size() - state_.avail_out;
  }

 private:
  [[noreturn]] void fail(const std::string& what) const {
    fail_input("{}: byte {}: {}", file_.name, byte_, what);
  }

  void feed() {
    constexpr std::size_t most = std::size_t{1} << 24;
    const std::size_t n = std::min(most, rest_.size());
    file_.release(0, static_cast<std::size_t>(rest_.data() - file_.text.data()));
    state_.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(rest_.data()));
    state_.avail_in = static_cast<uInt>(n);
    rest_.remove_prefix(n);
  }

  /// Goes on to the member after, if there is one. Zeros after the last are padding.
  void next_member() {
    if (state_.avail_in == 0) feed();
    while (state_.avail_in > 0 && *state_.next_in == 0) {
      ++state_.next_in;
      --state_.avail_in;
      ++byte_;
      if (state_.avail_in == 0) feed();
    }
    done_ = state_.avail_in == 0;
    if (done_) return;
    if (*state_.next_in != 0x1f) fail("goes on with bytes that are not gzip; fetch it again");
    inflateReset(&state_);
  }

  SourceText file_;
  std::string_view rest_;
  z_stream state_{};
  std::uint64_t byte_ = 0;
  bool done_ = false;
};

/// An archive or a compressed file, as libarchive reads it.
class Archive {
 public:
  explicit Archive(const SourceText& file, bool raw) : file_(file), archive_(archive_read_new()) {
    archive* const own = archive_.get();
    archive_read_support_filter_bzip2(own);
    archive_read_support_filter_xz(own);
    archive_read_support_filter_zstd(own);
    if (raw) {
      archive_read_support_format_raw(own);
      archive_read_support_format_empty(own);
    } else {
      archive_read_support_format_tar(own);
      archive_read_support_format_zip(own);
    }
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

Stream::Fill fill_of(const SourceText& file) {
  if (is_gzip(file.text)) {
    auto gzip = std::make_shared<Gzip>(file);
    return [gzip](std::span<char> out) { return gzip->read(out); };
  }
  auto archive = std::make_shared<Archive>(file, true);
  if (!archive->next()) {
    return [](std::span<char>) { return std::size_t{0}; };
  }
  return [archive](std::span<char> out) { return archive->read(out); };
}

SourceText text_of(std::string name, std::shared_ptr<Stream> stream) {
  SourceText text;
  text.name = std::move(name);
  text.owner = stream;
  text.stream = std::move(stream);
  return text;
}

bool is_tar(std::string_view head) { return head.size() >= 262 && head.substr(257, 5) == "ustar"; }

}  // namespace

Container container_of(const SourceText& file) {
  const std::string_view head = file.text;
  if (head.starts_with("PK\x03\x04") || head.starts_with("PK\x05\x06")) return Container::archive;
  if (is_tar(head)) return Container::archive;
  const bool compressed = is_gzip(head) || head.starts_with("\x28\xb5\x2f\xfd") ||
                          head.starts_with(std::string_view("\xfd"
                                                            "7zXZ\0",
                                                            6)) ||
                          head.starts_with("BZh");
  if (!compressed) return Container::none;
  std::string inside(512, '\0');
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
  Archive archive(file, false);
  std::vector<std::string> names;
  while (auto name = archive.next()) names.push_back(std::move(*name));
  return names;
}

SourceText uncompressed(const SourceText& file, std::size_t most) {
  return text_of(file.name, std::make_shared<Stream>(
                                file.name, [file] { return fill_of(file); }, most));
}

SourceText member_text(const SourceText& file, const std::string& member, std::size_t most) {
  const std::string name = file.name + ":" + member;
  const auto open = [file, member, name]() -> Stream::Fill {
    auto archive = std::make_shared<Archive>(file, false);
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
