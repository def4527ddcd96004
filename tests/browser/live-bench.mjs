// Times the live page in a headless Chromium, from the write of a file until it is seen. Called by scripts/bench:
//
//     node live-bench.mjs PROGRAM FOLDER
//
// FOLDER holds `long.vine.md`, a document of many pages. A line for each figure: what, a tabulator, milliseconds.
import { spawn } from "node:child_process";
import { readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { browser } from "./browser.mjs";

const [program, folder] = process.argv.slice(2);
const pause = (time) => new Promise((go) => setTimeout(go, time));
const median = (all) => all.sort((a, b) => a - b)[Math.floor(all.length / 2)];
const tell = (what, times) => console.log(`${what}\t${median(times).toFixed(1)}`);

/** Watches a document, opens it, and hands over the page and what changes the document. */
async function watched(name, text, work) {
  const file = join(folder, name);
  if (text) writeFileSync(file, text);
  const watching = spawn(program, ["watch", "--no-open", "--port", "0", name], { cwd: folder });
  let said = "";
  for (const stream of [watching.stdout, watching.stderr]) stream.on("data", (more) => { said += more; });
  const until = async (what, condition) => {
    const end = Date.now() + 240_000;
    while (!(await condition())) {
      if (Date.now() > end) throw new Error(`waited too long for ${what}:\n${said}`);
      await pause(20);
    }
  };
  await until("the first weave", () => / ran, /.test(said));
  const page = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
  await page.goto(said.match(/http:\S+/)[0]);
  const change = (from, to) => writeFileSync(file, readFileSync(file, "utf8").replace(from, to));
  const seen = async (act, condition, argument) => {
    const started = performance.now();
    act();
    await page.waitForFunction(condition, argument, { polling: "raf", timeout: 120_000 });
    const time = performance.now() - started;
    await pause(1200);
    return time;
  };
  await work({ page, change, seen, until });
  await page.close();
  watching.kill("SIGINT");
  await new Promise((ended) => watching.on("exit", ended));
}

const has = (words) => document.querySelector("article")?.innerText.includes(words);
/** Forty blocks, of which the first ten take two seconds each; `thread` keeps copies from being left. */
const forty = (thread) => Array.from({ length: 40 }, (_, at) => {
  const n = at + 1;
  const first = n === 1 ? `import time, threading\n${thread ? "threading.Thread(target=time.sleep, args=(900,), daemon=True).start()\n" : ""}` : "";
  return `\`\`\`python @b${n}\n${first}${n <= 10 ? "time.sleep(2)\n" : ""}v${n} = ${n}\nprint("gives ${n}:", v${n} + 0)\n\`\`\`\n`;
}).join("\n");

for (const [what, thread, times] of [["", false, 5], [", without checkpoints", true, 1]]) {
  await watched("forty.vine.md", `+++\ntitle = "Forty"\n+++\n\nWord 0.\n\n${forty(thread)}`, async ({ page, change, seen }) => {
    await page.waitForFunction(has, "gives 40: 40", { timeout: 120_000 });
    await pause(1500);
    const all = { word: [], last: [], twentieth: [] };
    for (let n = 1; n <= times; n++) {
      all.word.push(await seen(() => change(/Word \d+\./, `Word ${n}.`), has, `Word ${n}.`));
      all.last.push(await seen(() => change(/v40 \+ \d+/, `v40 + ${n}`), has, `gives 40: ${40 + n}`));
      all.twentieth.push(await seen(() => change(/v20 \+ \d+/, `v20 + ${n}`), has, `gives 20: ${20 + n}`));
    }
    tell(`40 blocks, live: a word${what}`, all.word);
    tell(`40 blocks, live: the last block${what}`, all.last);
    tell(`40 blocks, live: block 20${what}`, all.twentieth);
  });
}

await watched("long.vine.md", null, async ({ page, change, seen, until }) => {
  await page.waitForSelector("figure img", { timeout: 120_000 });
  await until("the first page", () => page.evaluate(() => document.querySelector("figure img").naturalWidth > 0));
  // What is written of the first print is over.
  await until("rest", async () => (await page.locator(".live-bar").innerText()).includes(" kept, "));
  const pages = await page.locator("figure").count();
  // A heading stands in the contents, too, so that the document is set once more.
  const [word, heading] = [/(# Chapter 20\n\n## [^\n]*\n\n)(Word\d+ )?/, /^(# Chapter 1)\b.*$/m];
  // Where a page that changes is looked at, its picture is waited for, too.
  const changes = [
    ["a word in print, live", word, (n) => `$1Word${n} `, "#page-1"],
    ["a word of a page that is looked at, live", word, (n) => `$1Word${n + 10} `, null],
    ["a heading in print, live", heading, (n) => `$1 for the ${n}th time`, "#page-1"],
  ];
  console.log(`pages of print\t${pages}`);
  let last = "#page-1";
  for (const [what, from, to, at] of changes) {
    const times = [];
    await page.evaluate((at) => document.querySelector(at).scrollIntoView(), at ?? last);
    await pause(1500);
    for (let n = 1; n <= 5; n++) {
      const before = await page.evaluate(() => document.documentElement.dataset.printVersion);
      times.push(await seen(() => change(from, to(n)), (before) => document.documentElement.dataset.printVersion !== before, before));
      await until("rest", async () => (await page.locator(".live-bar").innerText()).includes(" kept, "));
      last = await page.evaluate(() => document.querySelector(".live-pages a").hash);
    }
    tell(what, times);
  }
});
await browser.close();
process.exit(0);
