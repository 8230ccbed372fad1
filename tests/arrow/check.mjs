// Reads an Arrow file or stream that zerobeat wrote and prints its rows; or writes one for it to
// read. usage: check.mjs read FILE | check.mjs write FILE file|stream
import { readFileSync, writeFileSync } from "node:fs";
import {
  Bool, DateDay, Dictionary, Field, Float32, Float64, Int32, Int64, LargeUtf8, Schema, Table,
  TimestampMicrosecond, TimestampMillisecond, Uint8, Utf8, tableFromIPC, tableToIPC, vectorFromArray,
} from "apache-arrow";

const [what, file, form] = process.argv.slice(2);
if (what === "read") {
  const table = tableFromIPC(readFileSync(file));
  console.log(table.schema.fields.map((field) => `${field.name}:${field.type}`).join(" "));
  const columns = table.schema.fields.map((_, i) => table.getChildAt(i));
  for (let row = 0; row < table.numRows; ++row) {
    console.log(
      columns
        .map((column) => {
          const value = column.get(row);
          return value === null ? "" : String(value);
        })
        .join(","),
    );
  }
} else {
  const start = Date.UTC(2025, 9, 25, 23, 30);
  const rows = [...Array(500).keys()];
  const gap = (i, value) => (i % 7 === 3 ? null : value);
  const table = new Table({
    at: vectorFromArray(rows.map((i) => start + i * 60000), new TimestampMillisecond("UTC")),
    local: vectorFromArray(rows.map((i) => start + i * 60000), new TimestampMicrosecond()),
    day: vectorFromArray(rows.map((i) => new Date(start + i * 86400000)), new DateDay()),
    level: vectorFromArray(rows.map((i) => gap(i, i * 0.25)), new Float64()),
    half: vectorFromArray(rows.map((i) => i / 2), new Float32()),
    n: vectorFromArray(rows.map((i) => gap(i, i - 250)), new Int32()),
    big: vectorFromArray(rows.map((i) => 9007199254740993n + BigInt(i)), new Int64()),
    small: vectorFromArray(rows.map((i) => i % 256), new Uint8()),
    open: vectorFromArray(rows.map((i) => gap(i, i % 2 === 0)), new Bool()),
    gear: vectorFromArray(rows.map((i) => gap(i, `gear ${i}`)), new Utf8()),
    large: vectorFromArray(rows.map((i) => `é${i}`), new LargeUtf8()),
    probe: vectorFromArray(rows.map((i) => `p${i % 3}`), new Dictionary(new Utf8(), new Int32())),
  });
  writeFileSync(file, tableToIPC(table, form));
}
