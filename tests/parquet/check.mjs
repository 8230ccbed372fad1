// Parquet files of two independent writers, and what two independent readers make of one.
// usage: check.mjs write ROWS | check.mjs read FILE columns|rows | check.mjs types
import { readFileSync, writeFileSync } from "node:fs";
import { createRequire } from "node:module";
import {
  Bool, DateDay, Float32, Float64, Int32, Int64, Table, TimestampMicrosecond, TimestampMillisecond,
  Uint8, Uint32, Utf8, tableFromIPC, tableToIPC, vectorFromArray,
} from "apache-arrow";
import { asyncBufferFromFile, parquetReadObjects } from "hyparquet";
import { compressors } from "hyparquet-compressors";
import { parquetWriteFile } from "hyparquet-writer";

const wasm = createRequire(import.meta.url)("parquet-wasm/node");
const [what, ...words] = process.argv.slice(2);
const start = Date.UTC(2025, 9, 25, 23, 30);
const gap = (i, value) => (i % 7 === 3 ? null : value);

/// Every codec with each version of pages, plain and by dictionary; every encoding; small groups.
function ways() {
  const { Compression: C, Encoding: E, WriterVersion: V } = wasm;
  const all = {};
  for (const version of ["V1", "V2"]) {
    for (const codec of ["UNCOMPRESSED", "SNAPPY", "GZIP", "BROTLI", "LZ4", "ZSTD", "LZ4_RAW"]) {
      const base = (b) => b.setCompression(C[codec]).setWriterVersion(V[version]);
      all[`dictionary_${codec}_${version}`] = base;
      all[`plain_${codec}_${version}`] = (b) => base(b).setDictionaryEnabled(false);
    }
    const each = (b, names, encoding) =>
      names.reduce((to, name) => to.setColumnEncoding(name, encoding), b);
    const plain = (b) =>
      b.setWriterVersion(V[version]).setCompression(C.ZSTD).setDictionaryEnabled(false);
    const whole = ["at", "local", "day", "n", "big", "small", "wide"];
    all[`delta_${version}`] = (b) =>
      each(each(each(plain(b), whole, E.DELTA_BINARY_PACKED), ["gear", "probe"],
        E.DELTA_BYTE_ARRAY), ["open"], E.RLE);
    all[`split_${version}`] = (b) =>
      each(each(plain(b), [...whole, "level", "half"], E.BYTE_STREAM_SPLIT), ["gear", "probe"],
        E.DELTA_LENGTH_BYTE_ARRAY);
    all[`groups_${version}`] = (b) =>
      b.setWriterVersion(V[version]).setMaxRowGroupSize(77).setDataPageSizeLimit(512)
        .setWriteBatchSize(10);
  }
  return all;
}

function write(count) {
  const rows = [...Array(count).keys()];
  const table = new Table({
    at: vectorFromArray(rows.map((i) => start + i * 60000), new TimestampMillisecond("UTC")),
    local: vectorFromArray(rows.map((i) => start + i * 60000), new TimestampMicrosecond()),
    day: vectorFromArray(rows.map((i) => new Date(start + (i % 99) * 86400000)), new DateDay()),
    level: vectorFromArray(rows.map((i) => gap(i, (i * i) % 97 / 8)), new Float64()),
    half: vectorFromArray(rows.map((i) => i / 2), new Float32()),
    n: vectorFromArray(rows.map((i) => gap(i, ((i * 7919) % 1000) - 250)), new Int32()),
    big: vectorFromArray(rows.map((i) => 9007199254740993n + BigInt(i * i)), new Int64()),
    small: vectorFromArray(rows.map((i) => i % 256), new Uint8()),
    wide: vectorFromArray(rows.map((i) => 4294967295 - i), new Uint32()),
    open: vectorFromArray(rows.map((i) => gap(i, i % 2 === 0)), new Bool()),
    gear: vectorFromArray(rows.map((i) => gap(i, `gear ${i}`)), new Utf8()),
    probe: vectorFromArray(rows.map((i) => `p${i % 3}`), new Utf8()),
  });
  const stream = tableToIPC(table, "stream");
  for (const [name, way] of Object.entries(ways())) {
    const properties = way(new wasm.WriterPropertiesBuilder()).build();
    writeFileSync(`${name}.parquet`,
      wasm.writeParquet(wasm.Table.fromIPCStream(stream), properties));
  }
}

/// Types that Arrow's writer has not: decimals, half floats, UUIDs, integers past 2^63, groups.
function writeTypes() {
  const rows = [...Array(40).keys()];
  const fixed = (name, length, type) =>
    ({ name, type: "FIXED_LEN_BYTE_ARRAY", type_length: length, repetition_type: "REQUIRED", ...type });
  const schema = [
    { name: "root", num_children: 10 },
    { name: "at", type: "INT64", repetition_type: "REQUIRED", converted_type: "TIMESTAMP_MILLIS" },
    { name: "price", type: "INT32", repetition_type: "OPTIONAL", converted_type: "DECIMAL", scale: 2, precision: 9 },
    fixed("long", 16, { converted_type: "DECIMAL", scale: 3, precision: 30 }),
    fixed("half", 2, { logical_type: { type: "FLOAT16" } }),
    fixed("id", 16, { logical_type: { type: "UUID" } }),
    { name: "wide", type: "INT64", repetition_type: "REQUIRED", converted_type: "UINT_64" },
    { name: "ns", type: "INT64", repetition_type: "REQUIRED", logical_type: { type: "TIMESTAMP", isAdjustedToUTC: true, unit: "NANOS" } },
    { name: "group", num_children: 2, repetition_type: "OPTIONAL" },
    { name: "a", type: "DOUBLE", repetition_type: "OPTIONAL" },
    { name: "b", type: "BYTE_ARRAY", repetition_type: "OPTIONAL", converted_type: "UTF8" },
    { name: "tags", repetition_type: "OPTIONAL", num_children: 1, converted_type: "LIST" },
    { name: "list", repetition_type: "REPEATED", num_children: 1 },
    { name: "element", type: "BYTE_ARRAY", repetition_type: "OPTIONAL", converted_type: "UTF8" },
    { name: "note", type: "BYTE_ARRAY", repetition_type: "OPTIONAL", converted_type: "JSON" },
  ];
  const of = (value) => rows.map(value);
  parquetWriteFile({
    filename: "types.parquet",
    schema,
    columnData: [
      { name: "at", data: of((i) => new Date(start + i * 60000)) },
      { name: "price", data: of((i) => (i % 5 === 2 ? null : i * 1.25 - 10)) },
      { name: "long", data: of((i) => i * 1.125 - 7) },
      { name: "half", data: of((i) => i / 4 - 2) },
      { name: "id", data: of((i) => `00000000-0000-4000-8000-0000000000${(16 + i).toString(16)}`) },
      { name: "wide", data: of((i) => 18446744073709551000n + BigInt(i)) },
      { name: "ns", data: of((i) => BigInt(start + i * 60000) * 1000000n + 7n) },
      { name: "group", data: of((i) => (i % 4 === 1 ? null : { a: i % 3 === 0 ? null : i / 8, b: `b${i}` })) },
      { name: "tags", data: of((i) => [`t${i}`, "x"]) },
      { name: "note", data: of((i) => ({ n: i })) },
    ],
  });
}

const shown = (value) =>
  value === null || value === undefined ? ""
    : value instanceof Date ? value.toISOString().replace(/\.?0*Z$/, "Z") : String(value);

async function read(file, how) {
  if (how === "rows") {
    const rows = await parquetReadObjects({ file: await asyncBufferFromFile(file), compressors });
    const names = Object.keys(rows[0]);
    console.log(names.join(","));
    for (const row of rows) console.log(names.map((name) => shown(row[name])).join(","));
    return;
  }
  const table = tableFromIPC(wasm.readParquet(new Uint8Array(readFileSync(file))).intoIPCStream());
  console.log(table.schema.fields.map((field) => `${field.name}:${field.type}`).join(" "));
  const columns = table.schema.fields.map((_, i) => table.getChildAt(i));
  for (let row = 0; row < table.numRows; ++row) {
    console.log(columns.map((column, c) => {
      const value = column.get(row);
      return c === 0 ? shown(new Date(Number(value))) : shown(value);
    }).join(","));
  }
}

if (what === "write") write(Number(words[0]));
if (what === "types") writeTypes();
if (what === "read") await read(...words);
