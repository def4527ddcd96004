// Vine Loom's driver for Node.js 18 and later.
//
// One JSON request a line on descriptor 3, one JSON event a line on descriptor 4, behind the block's mark. All blocks of a strand run as
// scripts in one global scope. Before an event a mark is written into standard output, so that the event's place
// among the output is known.
"use strict";
const fs = require("node:fs");
const path = require("node:path");
const vm = require("node:vm");
const util = require("node:util");
const { createRequire } = require("node:module");

let request = {};
let placed = 0;

const send = (event) => fs.writeSync(4, `${request.mark} ${JSON.stringify(event)}\n`);
const place = (event) => {
  placed += 1;
  fs.writeSync(1, `\u0002${request.mark}:${placed}\u0003`);
  send(event);
};

process.stdout.write = (chunk, encoding, done) => {
  writeAll(1, chunk, encoding);
  const after = typeof encoding === "function" ? encoding : done;
  if (after) after();
  return true;
};
process.stderr.write = (chunk, encoding, done) => {
  place({ notice: String(chunk) });
  const after = typeof encoding === "function" ? encoding : done;
  if (after) after();
  return true;
};

function writeAll(descriptor, chunk, encoding) {
  const bytes = typeof chunk === "string" ? Buffer.from(chunk, typeof encoding === "string" ? encoding : "utf8") : chunk;
  for (let at = 0; at < bytes.length;) {
    try {
      at += fs.writeSync(descriptor, bytes, at);
    } catch (error) {
      if (error.code !== "EAGAIN") throw error;
    }
  }
}

globalThis.require = createRequire(path.join(process.cwd(), "block.js"));
globalThis.module = { exports: {} };
globalThis.exports = globalThis.module.exports;

function* lines(descriptor) {
  const buffer = Buffer.alloc(65536);
  let rest = Buffer.alloc(0);
  for (;;) {
    const end = rest.indexOf(10);
    if (end >= 0) {
      yield rest.subarray(0, end).toString("utf8");
      rest = rest.subarray(end + 1);
      continue;
    }
    const count = fs.readSync(descriptor, buffer);
    if (count === 0) return;
    rest = Buffer.concat([rest, buffer.subarray(0, count)]);
  }
}

const isRecord = (value) => value !== null && typeof value === "object" && !Array.isArray(value);

function tableOf(value) {
  if (!Array.isArray(value) || value.length === 0 || !value.every(isRecord)) return null;
  const names = Object.keys(value[0]);
  if (names.length === 0 || value.some((row) => Object.keys(row).join("\n") !== names.join("\n"))) return null;
  const cell = (v) => (v === null || v === undefined ? null : String(v));
  const kind = (name) => {
    const present = value.map((row) => row[name]).filter((v) => v !== null && v !== undefined);
    return present.length > 0 && present.every((v) => typeof v === "number" || typeof v === "bigint") ? "number" : "text";
  };
  return { columns: names.map((name) => ({ name, kind: kind(name) })), rows: value.map((row) => names.map((n) => cell(row[n]))) };
}

/** How a value reads in a sentence, and what kind of value it is. */
function prose(value) {
  if (value === null || value === undefined || Number.isNaN(value)) return { plain: String(value), kind: "missing" };
  if (typeof value === "boolean") return { plain: String(value), kind: value ? "yes" : "no" };
  if (typeof value === "number") return { plain: String(value), kind: Number.isFinite(value) ? "number" : "text" };
  if (typeof value === "bigint") return { plain: String(value), kind: "number" };
  if (typeof value === "string") return { plain: value, kind: "text" };
  if (util.types.isDate(value) && !Number.isNaN(value.getTime())) {
    return { plain: value.toISOString().replace("T", " ").replace(/\.000Z$/, "Z").replace(/ 00:00:00Z$/, ""), kind: "text" };
  }
  if (value instanceof URL) return { plain: value.href, kind: "text" };
  return { plain: util.inspect(value), kind: "text" };
}

/** What a flat list holds, as each reads in a sentence; nothing where the value is no such list. */
function itemsOf(value) {
  const list = util.types.isSet(value) || util.types.isTypedArray(value) ? [...value] : value;
  if (!Array.isArray(list) || list.length > 1000) return null;
  const flat = list.every((item) => item === null || typeof item !== "object" || util.types.isDate(item));
  return flat ? list.map(prose) : null;
}

/** Shows the value of an expression. Nothing is no value, unless a sentence asks for it. */
function showValue(value) {
  if ((value === undefined && !request.expression) || typeof value === "function") return;
  const table = tableOf(value);
  if (table) return place({ table });
  const items = itemsOf(value);
  const whole = items ? { plain: util.inspect(value), items } : prose(value);
  place({ value: { ...whole, text: util.inspect(value) } });
}

function handIn(variables) {
  for (const { name, value } of variables) {
    if ("plain" in value) {
      globalThis[name] = value.plain;
      continue;
    }
    const { columns, rows } = value.table;
    const typed = (cell, column) => (cell !== null && column.kind === "number" ? Number(cell) : cell);
    globalThis[name] = rows.map((row) => Object.fromEntries(columns.map((c, at) => [c.name, typed(row[at], c)])));
  }
}

function failure(error) {
  const stack = error && error.stack ? String(error.stack) : `Uncaught ${util.inspect(error)}`;
  const own = stack.split("\n").filter((line) => !/^\s+at /.test(line) || /@[0-9a-f]{10}/.test(line));
  const found = /(@[0-9a-f]{10}):(\d+)/.exec(stack);
  const content = {
    summary: error && error.name ? `${error.name}: ${String(error.message).split("\n")[0]}` : `Uncaught ${util.inspect(error)}`,
    text: own.join("\n"),
    at: found ? { block: found[1], line: Number(found[2]) } : null,
  };
  const missing = error && error.code === "MODULE_NOT_FOUND" && /Cannot find module '([^']+)'/.exec(error.message);
  if (missing && !/^[./]/.test(missing[1])) content.help = `install the package beside the document: \`npm install ${missing[1]}\``;
  return content;
}

/** Waits until nothing that the block started is still to come: timers, files, programs, connections. */
async function settled() {
  const open = () => process.getActiveResourcesInfo().some((what) => /Timeout|Immediate|FSReq|GetAddrInfo|TCP|Process|UDP/.test(what));
  await new Promise((done) => process.nextTick(done));
  for (let turn = 0; open(); turn += 1) {
    if (turn > 20) Atomics.wait(new Int32Array(new SharedArrayBuffer(4)), 0, 0, 1);
    await new Promise((done) => setImmediate(done));
    if (!process.getActiveResourcesInfo().some((what) => /Timeout|FSReq|GetAddrInfo|TCP|Process|UDP/.test(what))) return;
  }
}

async function evaluate(code, line) {
  let value = vm.runInThisContext(code, { filename: request.label, lineOffset: line });
  if (value && typeof value.then === "function") value = await value;
  await settled();
  if (uncaught) throw uncaught.error;
  return value;
}

/** The statements of a block with the lines they start at: lines are taken together until they are a script. */
function* statements(code) {
  const lines = code.replace(/\n$/, "").split("\n");
  const goesOn = /^\s*([.?:)\]},&|*/%<>=]|\+[^+]|-[^-]|else\b|catch\b|finally\b|instanceof\b|in\b)/;
  for (let from = 0; from < lines.length;) {
    let to = from;
    for (; to < lines.length - 1; to += 1) {
      if (goesOn.test(lines[to + 1])) continue;
      const soFar = lines.slice(from, to + 1).join("\n");
      if (/^\s*(\/\/.*)?$/.test(lines[to])) continue;
      try {
        new vm.Script(soFar);
        break;
      } catch { /* not whole yet */ }
    }
    yield [from, lines.slice(from, to + 1).join("\n").replace(/^\s*\n/, "")];
    from = to + 1;
    while (from < lines.length && lines[from].trim() === "") from += 1;
  }
}

/** Names that the driver or Node itself brings. */
const given = new Set([...Object.getOwnPropertyNames(globalThis), "_"]);

/** Name, type, shape and a short value of what the blocks have set. */
async function held() {
  const { Session } = require("node:inspector");
  const session = new Session();
  session.connect();
  let names = [];
  session.post("Runtime.globalLexicalScopeNames", {}, (error, found) => { if (!error) names = found.names; });
  session.disconnect();
  names = [...new Set([...names, ...Object.keys(globalThis).filter((name) => !given.has(name))])].sort();
  const found = [];
  for (const name of names) {
    const value = vm.runInThisContext(name);
    if (typeof value === "function") continue;
    const kind = value === null ? "null" : typeof value === "object" ? value.constructor?.name ?? "object" : typeof value;
    const shape = value?.length ?? value?.size ?? "";
    found.push({ name, kind, shape: String(shape), value: util.inspect(value, { breakLength: Infinity }).replace(/\s+/g, " ").slice(0, 200) });
  }
  return found;
}

let uncaught = null;
process.on("uncaughtException", (error) => { uncaught = uncaught || { error }; });
process.on("unhandledRejection", (error) => { uncaught = uncaught || { error }; });

async function run() {
  for (const line of lines(3)) {
    request = JSON.parse(line);
    placed = 0;
    uncaught = null;
    const before = Object.fromEntries(Object.keys(request.env).map((name) => [name, process.env[name]]));
    const back = process.cwd();
    let exit = 0;
    try {
      Object.assign(process.env, request.env);
      if (request.cwd) process.chdir(request.cwd);
      handIn(request.variables);
      if (request.task === "variables") {
        place({ variables: await held() });
      } else if (request.transcript) {
        for (const [line, text] of statements(request.code)) {
          place({ statement: text });
          showValue(await evaluate(text, line));
        }
      } else {
        showValue(await evaluate(request.code, 0));
      }
    } catch (error) {
      exit = 1;
      place({ failure: failure(error) });
    }
    if (request.cwd) process.chdir(back);
    for (const [name, value] of Object.entries(before)) {
      if (value === undefined) delete process.env[name];
      else process.env[name] = value;
    }
    for (const descriptor of [1, 2]) fs.writeSync(descriptor, `\u0002${request.mark}:end\u0003`);
    send({ done: { exit } });
  }
  process.exit(0);
}

run();
