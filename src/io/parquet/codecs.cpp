#include "io/parquet/codecs.hpp"

#include <brotli/decode.h>
#include <fmt/format.h>
#include <lz4.h>
#include <snappy-c.h>
#include <zlib.h>
#include <zstd.h>

#include <algorithm>
#include <limits>
#include <zerobeat/base/buffer.hpp>
#include <zerobeat/base/error.hpp>

#include "io/source/loaded_library.hpp"

namespace zerobeat::inline v1::detail {

namespace {

// Libraries that few files need are loaded for the first page that does.

struct Snappy {
  decltype(&::snappy_uncompress) uncompress;
  decltype(&::snappy_uncompressed_length) uncompressed_length;
};

const Snappy& snappy() {
  static const Snappy functions = [] {
    const LoadedLibrary library(ZEROBEAT_LIBSNAPPY, "libsnappy1v5");
    Snappy own;
    library.find("snappy_uncompress", own.uncompress);
    library.find("snappy_uncompressed_length", own.uncompressed_length);
    return own;
  }();
  return functions;
}

auto lz4_function() {
  static const auto function = [] {
    decltype(&::LZ4_decompress_safe) decompress = nullptr;
    LoadedLibrary(ZEROBEAT_LIBLZ4, "liblz4-1").find("LZ4_decompress_safe", decompress);
    return decompress;
  }();
  return function;
}

auto brotli_function() {
  static const auto function = [] {
    decltype(&::BrotliDecoderDecompress) decompress = nullptr;
    LoadedLibrary(ZEROBEAT_LIBBROTLIDEC, "libbrotli1").find("BrotliDecoderDecompress", decompress);
    return decompress;
  }();
  return function;
}

[[noreturn]] void fail_codec(std::string_view codec) {
  throw DamagedPage(fmt::format("it is not what {} packs", codec));
}

void unpack_snappy(std::string_view packed, char* out, std::size_t size) {
  std::size_t length = 0;
  if (snappy().uncompressed_length(packed.data(), packed.size(), &length) != SNAPPY_OK ||
      length != size ||
      snappy().uncompress(packed.data(), packed.size(), out, &length) != SNAPPY_OK) {
    fail_codec("snappy");
  }
}

void unpack_gzip(std::string_view packed, char* out, std::size_t size) {
  z_stream stream{};
  constexpr int with_any_header = 15 + 32;
  if (inflateInit2(&stream, with_any_header) != Z_OK) throw std::bad_alloc();
  stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(packed.data()));
  stream.avail_in = static_cast<uInt>(packed.size());
  stream.next_out = reinterpret_cast<Bytef*>(out);
  stream.avail_out = static_cast<uInt>(size);
  int state = Z_OK;
  // Members joined one after the other are one.
  while ((state = inflate(&stream, Z_FINISH)) == Z_STREAM_END && stream.avail_in > 0) {
    if (inflateReset(&stream) != Z_OK) break;
  }
  const bool whole = state == Z_STREAM_END && stream.avail_out == 0 && stream.avail_in == 0;
  inflateEnd(&stream);
  if (!whole) fail_codec("gzip");
}

void unpack_brotli(std::string_view packed, char* out, std::size_t size) {
  std::size_t length = size;
  const auto state =
      brotli_function()(packed.size(), reinterpret_cast<const std::uint8_t*>(packed.data()),
                        &length, reinterpret_cast<std::uint8_t*>(out));
  if (state != BROTLI_DECODER_RESULT_SUCCESS || length != size) fail_codec("brotli");
}

bool unpack_lz4_block(std::string_view packed, char* out, std::size_t size) {
  return lz4_function()(packed.data(), out, static_cast<int>(packed.size()),
                        static_cast<int>(size)) == static_cast<int>(size);
}

std::uint32_t big_endian(const char* at) {
  return __builtin_bswap32(little_endian<std::uint32_t>(at));
}

/// Blocks as one old program frames them: before each its size unpacked and packed, in big-endian
/// words. Returns whether all of it was such.
bool unpack_framed_lz4(std::string_view packed, char* out, std::size_t size) {
  while (packed.size() >= 8) {
    const std::size_t block = big_endian(packed.data()), length = big_endian(packed.data() + 4);
    packed.remove_prefix(8);
    if (length > packed.size() || block > size) return false;
    if (!unpack_lz4_block(packed.substr(0, length), out, block)) return false;
    packed.remove_prefix(length);
    out += block;
    size -= block;
  }
  return packed.empty() && size == 0;
}

void unpack_lz4(std::string_view packed, char* out, std::size_t size) {
  if (!unpack_lz4_block(packed, out, size)) fail_codec("lz4");
}

/// What is called lz4 is framed, or a bare block, or a frame of the codec's own.
void unpack_any_lz4(std::string_view packed, char* out, std::size_t size) {
  if (unpack_framed_lz4(packed, out, size)) return;
  unpack_lz4(packed, out, size);
}

}  // namespace

void PageUnpacker::unpack_zstd(std::string_view packed, char* out, std::size_t size) {
  if (zstd_ == nullptr) zstd_ = {ZSTD_createDCtx(), ZSTD_freeDCtx};
  if (zstd_ == nullptr) throw std::bad_alloc();
  const std::size_t length =
      ZSTD_decompressDCtx(zstd_.get(), out, size, packed.data(), packed.size());
  if (ZSTD_isError(length) != 0 || length != size) fail_codec("zstd");
}

KeptBytes PageUnpacker::unpacked(ParquetCodec codec, std::string_view packed, std::size_t size) {
  if (codec == ParquetCodec::uncompressed) {
    if (packed.size() != size) throw DamagedPage("its size is not what it says");
    return {packed, nullptr};
  }
  void (*unpack)(std::string_view, char*, std::size_t) = nullptr;
  switch (codec) {
    case ParquetCodec::snappy:
      unpack = unpack_snappy;
      break;
    case ParquetCodec::gzip:
      unpack = unpack_gzip;
      break;
    case ParquetCodec::brotli:
      unpack = unpack_brotli;
      break;
    case ParquetCodec::zstd:
      break;
    case ParquetCodec::lz4:
      unpack = unpack_any_lz4;
      break;
    case ParquetCodec::lz4_raw:
      unpack = unpack_lz4;
      break;
    default:
      fail_input("it is packed by {}, which is not read; write it with zstd",
                 codec == ParquetCodec::lzo
                     ? std::string("LZO")
                     : fmt::format("codec {}", static_cast<std::int32_t>(codec)));
  }
  auto buffer = std::make_shared<Buffer<char>>(size);
  if (unpack != nullptr) {
    unpack(packed, buffer->data(), size);
  } else {
    unpack_zstd(packed, buffer->data(), size);
  }
  const std::string_view bytes(buffer->data(), size);
  return {bytes, std::move(buffer)};
}

std::string zstd_packed(std::string_view bytes) {
  constexpr int level = 3;
  std::string packed(ZSTD_compressBound(bytes.size()), '\0');
  const std::size_t size =
      ZSTD_compress(packed.data(), packed.size(), bytes.data(), bytes.size(), level);
  if (ZSTD_isError(size) != 0) throw std::bad_alloc();
  packed.resize(size);
  return packed;
}

}  // namespace zerobeat::detail
