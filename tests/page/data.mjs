// Records of the harbour for the tests of pages, and what is true of them.
import { writeFileSync } from 'node:fs';

export const minute = 60_000;
export const start = Date.UTC(2025, 9, 1);
export const rows = 200_000;
export const spike = { row: 120_345, value: 99.75 };
export const gap = { from: 60_000, until: 60_400 };
const stamp = (row) => new Date(start + row * minute).toISOString().replace('.000Z', 'Z');

export const levelOf = (row) =>
  row === spike.row
    ? spike.value
    : Math.round(1000 * (2.5 + 1.5 * Math.sin((row * 2 * Math.PI) / 745))) / 1000;
export const isThere = (row) => row < gap.from || row >= gap.until;
export const timeOf = stamp;

// A reading a minute for four and a half months, more than a page can hold.
export function writeTide(path) {
  const lines = ['time,level_m'];
  for (let row = 0; row < rows; ++row) {
    if (isThere(row)) lines.push(`${stamp(row)},${levelOf(row)}`);
    if (row === 90_000) lines.push('soon,1.5');
  }
  writeFileSync(path, lines.join('\n') + '\n');
}

export const badKeys = ['<script>alert(1)</script>', 'a]]>b', 'say "quay"', "it's"];

// Strands with names that would do harm as markup.
export function writeStore(path) {
  const lines = ['time,probe,temperature_c'];
  for (let row = 0; row < 500; ++row) {
    for (const [i, key] of badKeys.entries()) {
      const value = row % 50 === 7 ? '' : (-18 + i + Math.sin(row / 9)).toFixed(2);
      lines.push(`${stamp(10 * row)},"${key.replaceAll('"', '""')}",${value}`);
    }
  }
  writeFileSync(path, lines.join('\n') + '\n');
}

// More strands and columns than are drawn, and long.
export function writeMany(path) {
  const lines = ['time,probe,a,b'];
  for (let row = 0; row < 4_000; ++row) {
    for (let probe = 0; probe < 30; ++probe) {
      lines.push(`${stamp(row)},probe ${probe},${(row * (probe + 3)) % 977},${Math.cos(row)}`);
    }
    if (row % 10 === 0) lines.push(`never,probe ${row % 30},1,"<b>&&&</b>${'&'.repeat(150)}"`);
  }
  writeFileSync(path, lines.join('\n') + '\n');
}
