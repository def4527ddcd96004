// Opens the live page in a headless Chromium and does what a writer does. Called by scripts/test:
//
//     node live.mjs PROGRAM FOLDER
//
// FOLDER is empty; the document is written there. `PICTURES=FOLDER` keeps pictures of the page in its states.
import { strict as assert } from "node:assert";
import { spawn } from "node:child_process";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { browser, findings, finish, test } from "./browser.mjs";

const [program, folder] = process.argv.slice(2);
const file = join(folder, "probe.vine.md");
const pictures = process.env.PICTURES;
const many = Array.from({ length: 30 }, (_, n) => `## Part ${n}\n\nSome words about part ${n}.\n`).join("\n");
writeFileSync(file, `+++
title = "Readings of June"
[export]
to = ["html", "pdf"]
[defaults]
fold = "closed"
+++

First words, before everything.

\`\`\`python @readings fold=no
import time
time.sleep(1.2)
moisture = [31.5, 28, 36]
print("readings are loaded")
\`\`\`

The mean is @[mean digits=3] %.

\`\`\`python @mean
print(sum(moisture) / len(moisture))
\`\`\`

\`\`\`python @driest
print(min(moisture))
\`\`\`

${many}

Last words.
`);
writeFileSync(join(folder, "edit.sh"), 'echo "$1 at $2" > edited.txt\n');
const change = (from, to) => {
  const text = readFileSync(file, "utf8");
  assert.ok(text.includes(from), from);
  writeFileSync(file, text.replace(from, to));
};

const watching = spawn(program, ["watch", "--no-open", "--port", "0", "--editor-command", "sh edit.sh {file} {line}", "probe.vine.md"], { cwd: folder });
let said = "";
watching.stdout.on("data", (text) => { said += text; });
watching.stderr.on("data", (text) => { said += text; });
const until = async (what, condition) => {
  const end = Date.now() + 20_000;
  while (!(await condition())) {
    if (Date.now() > end) throw new Error(`waited too long for ${what}:\n${said}`);
    await new Promise((go) => setTimeout(go, 5));
  }
};
await until("the address", () => /http:\S+/.test(said));
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await context.newPage();
const errors = [];
page.on("pageerror", (error) => errors.push(String(error)));
await page.goto(said.match(/http:\S+/)[0]);
const isEarly = (await page.locator("main").innerText()).includes("It has not been woven yet");
await until("the first weave", () => said.includes("3 ran"));
await page.waitForSelector(".live-bar");
const version = () => page.evaluate(() => Number(document.documentElement.dataset.liveVersion));
const picture = async (name) => { if (pictures) await page.screenshot({ path: join(pictures, `${name}.png`) }); };
/** Waits for the page that comes next; how long it took, in milliseconds. */
const next = async (act) => {
  const before = await version();
  const started = performance.now();
  await act();
  await page.waitForFunction((before) => Number(document.documentElement.dataset.liveVersion) > before, before, { polling: 5, timeout: 20_000 });
  return performance.now() - started;
};
// What was woven in the meantime has come.
await page.waitForTimeout(600);

await test("a page that is opened before the document is woven becomes its page", async () => {
  assert.ok(isEarly);
  await page.waitForSelector("article #readings");
  assert.match(page.url(), /\/1\/probe\.html$/);
  assert.ok(await page.evaluate(() => document.head.querySelectorAll("style").length > 0 && getComputedStyle(document.querySelector("article")).maxWidth !== "none"));
});

await test("a changed word is exchanged in place; scroll, folds, focus and all else stay", async () => {
  await page.evaluate(() => { for (const part of document.querySelectorAll("article > *")) part.isAsBefore = true; });
  await page.locator("#driest summary").click();
  await page.locator("text=Part 20").first().evaluate((part) => part.scrollIntoView());
  await page.locator("h2#part-20, h1#part-20, #part-20").first().evaluate((part) => { part.tabIndex = -1; part.focus({ preventScroll: true }); });
  const place = () => page.evaluate(() => document.getElementById("part-20").getBoundingClientRect().top);
  const before = await place();
  const time = await next(() => change("First words, before everything.", "First words,\n\nand more words, and more of them, before everything that follows."));
  console.log(`    a word took ${Math.round(time)} ms to be seen`);
  assert.ok(Math.abs((await place()) - before) < 2, `moved by ${(await place()) - before}`);
  assert.equal(await page.evaluate(() => document.activeElement.id), "part-20");
  assert.ok(await page.locator("#driest details").evaluate((fold) => fold.open));
  const fresh = await page.locator("article > *").evaluateAll((parts) => parts.filter((part) => !part.isAsBefore && !part.matches("[data-live-part]")).map((part) => part.textContent));
  assert.equal(fresh.length, 2, fresh.join("|"));
  assert.equal(await page.locator(".live-changed").count(), 2);
  assert.ok(await page.locator("text=and more of them").isVisible() === true);
});

await test("the last block runs alone, from the state that is there", async () => {
  const started = performance.now();
  change("print(min(moisture))", "print(min(moisture), 'of them')");
  await page.waitForFunction(() => document.getElementById("driest").innerText.includes("28 of them"), null, { polling: 5 });
  console.log(`    the last block took ${Math.round(performance.now() - started)} ms to be seen`);
  await page.waitForFunction(() => document.querySelector(".live-bar").innerText.includes("1 block ran"));
  assert.ok(await page.locator("#driest details").evaluate((fold) => fold.open), "its fold stays open");
});

await test("a block that runs says so, and those after it wait", async () => {
  const before = await version();
  change("time.sleep(1.2)", "time.sleep(1.5)");
  await page.waitForSelector('#readings[data-live="running"]');
  assert.equal(await page.locator("#driest").getAttribute("data-live"), "waiting");
  await page.waitForTimeout(400);
  assert.match(await page.locator(".live-bar").innerText(), /@readings runs: \d\.\d of about \d\.\d s/);
  await page.locator("#readings").evaluate((part) => part.scrollIntoView({ block: "center" }));
  await picture("running");
  await page.waitForFunction((before) => Number(document.documentElement.dataset.liveVersion) > before, before);
  await page.waitForFunction(() => !document.querySelector("[data-live]"));
});

await test("what a block prints is there while it runs", async () => {
  const before = await version();
  change("time.sleep(1.5)", "for n in range(8):\n    print('reading', n, flush=True)\n    time.sleep(0.2)");
  await page.waitForFunction(() => document.querySelector("#readings .live-output")?.textContent.includes("reading 2"));
  assert.equal(await page.locator("#readings").getAttribute("data-live"), "running");
  await picture("prints");
  await page.waitForFunction((before) => Number(document.documentElement.dataset.liveVersion) > before, before);
  await page.waitForFunction(() => !document.querySelector(".live-output"));
  assert.match(await page.locator("#readings").innerText(), /reading 7/);
  await next(() => change("for n in range(8):\n    print('reading', n, flush=True)\n    time.sleep(0.2)", "time.sleep(1.5)"));
});

await test("a change while it runs ends what is not wanted any more, and nothing else", async () => {
  change("time.sleep(1.5)", "time.sleep(8)");
  await page.waitForSelector('#readings[data-live="running"]');
  const time = await next(() => change("time.sleep(8)", "time.sleep(0.3)"));
  assert.ok(time < 4000, `${time} ms`);
  change("time.sleep(0.3)", "time.sleep(1.3)");
  await page.waitForSelector('#readings[data-live="running"]');
  // Prose is not what runs: the block goes on, and its result counts.
  const failures = () => (said.match(/@readings +python +failed/g) || []).length;
  const before = failures();
  await next(() => change("Last words.", "Very last words."));
  await page.waitForFunction(() => document.body.innerText.includes("Very last words."));
  assert.equal(failures(), before, said);
});

await test("a failure lies over its block, what it gave stays below, and both go when it is mended", async () => {
  change("print(sum(moisture)", "print(summ(moisture)");
  await page.waitForSelector(".live-failure");
  assert.match(await page.locator(".live-failure").innerText(), /probe\.vine\.md:\d+ @mean failed: NameError/);
  assert.ok(await page.locator("#mean.live-stale").count());
  assert.equal(await page.locator(".live-failure + #mean").count(), 1);
  await page.locator("#mean").evaluate((part) => part.scrollIntoView({ block: "center" }));
  await picture("failed");
  assert.deepEqual(await findings(page), []);
  await next(() => change("print(summ(moisture)", "print(sum(moisture)"));
  await page.waitForFunction(() => !document.querySelector(".live-failure, .live-stale"));
  // A mistake in the text has no block to lie over.
  change("The mean is @[mean digits=3]", "The mean is @[maen digits=3]");
  await page.waitForSelector("main > .live-failure");
  assert.match(await page.locator(".live-failure").innerText(), /nothing is called @maen|nothing is called `@maen`/);
  await next(() => change("@[maen digits=3]", "@[mean digits=3]"));
  await picture("mended");
});

await test("a block that is only run when it is asked for waits, and what it gave stays below it", async () => {
  change("@driest", "@driest run=asked");
  await page.waitForFunction(() => document.querySelector(".live-bar").innerText.includes("0 blocks ran"));
  const was = readFileSync(join(folder, "probe.html"), "utf8");
  await next(() => change("print(min(moisture), 'of them')", "print(min(moisture), 'of all')"));
  await page.waitForSelector("#driest.live-stale");
  assert.match(await page.locator(".live-waits").innerText(), /@driest has not run: it waits to be asked for/);
  assert.match(await page.locator("#driest").innerText(), /28 of them/);
  // A word is seen all the same; the files wait.
  await next(() => change("First words,", "First words, seen while a block waits,"));
  await page.waitForSelector("text=seen while a block waits");
  await page.waitForFunction(() => document.querySelector(".live-bar").innerText.includes("1 wait"));
  assert.equal(readFileSync(join(folder, "probe.html"), "utf8"), was);
  await page.locator("#driest").evaluate((part) => part.scrollIntoView({ block: "center" }));
  await picture("waits");
  assert.deepEqual(await findings(page), []);
  await next(() => page.locator("text=Run what waits").click());
  await page.waitForFunction(() => document.getElementById("driest").innerText.includes("28 of all") && !document.querySelector(".live-waits, .live-stale"));
  await until("the files", () => readFileSync(join(folder, "probe.html"), "utf8").includes("28 of all"));
  await next(() => change("First words, seen while a block waits,", "First words,"));
});

await test("it can be paused, and goes on with what changed meanwhile", async () => {
  await page.locator("text=Pause").click();
  await page.waitForSelector('.live-bar[data-state="paused"]');
  const before = await version();
  change("Very last words.", "The very last words.");
  await page.waitForTimeout(700);
  assert.equal(await version(), before);
  await next(() => page.locator("text=Go on").click());
  assert.ok((await page.locator("article").innerText()).includes("The very last words."));
});

await test("a file that is replaced, renamed away and back, and a thousand saves end in what is there", async () => {
  for (let n = 0; n < 1000; n++) writeFileSync(file, readFileSync(file, "utf8").replace(/words( \d+)?\.\n$/, `words ${n}.\n`));
  await page.waitForFunction(() => document.body.innerText.includes("words 999."), null, { timeout: 20_000 });
  assert.equal(errors.join("\n"), "");
});

await test("the bar leads to the print and back", async () => {
  await page.locator(".live-bar a", { hasText: "Print" }).click();
  await page.waitForURL(/view-of-probe\.pdf\.html/);
  await page.waitForSelector("figure img");
  const pages = await page.locator("figure img").evaluateAll((all) => all.map((image) => image.getAttribute("src").match(/(\d+)\.svg\?[0-9a-f]{16}$/)[1]));
  assert.deepEqual(pages, pages.map((_, at) => String(at + 1)));
  assert.ok(pages.length > 3, `${pages.length} pages`);
  await page.waitForFunction(() => document.querySelector("figure img").naturalWidth > 300);
  const answer = await page.evaluate(async () => (await fetch("probe.pdf")).headers.get("content-type"));
  assert.equal(answer, "application/pdf");
});

await test("only the page of print that changed is exchanged, before the PDF is made, and nothing moves", async () => {
  await page.locator("figure").nth(1).evaluate((figure) => figure.scrollIntoView());
  await page.evaluate(() => { for (const image of document.querySelectorAll("figure img")) image.isAsBefore = true; });
  const place = await page.evaluate(() => scrollY);
  const started = performance.now();
  change("First words,", "The first words,");
  await page.waitForFunction(() => document.querySelector(".live-pages").innerText === "page 1 changed");
  console.log(`    a word took ${Math.round(performance.now() - started)} ms to be seen in print`);
  // A page that is near, and not in sight, is exchanged as soon as its picture is there.
  await page.waitForFunction(() => [...document.querySelectorAll("figure img")].some((image) => !image.isAsBefore));
  const fresh = await page.locator("figure img").evaluateAll((all) => all.map((image, at) => (image.isAsBefore ? 0 : at + 1)).filter(Boolean));
  assert.deepEqual(fresh, [1]);
  assert.equal(await page.evaluate(() => scrollY), place);
  assert.deepEqual(await findings(page), []);
});

await test("a click on print leads to the line of the document, in an editor too, and a line leads to the print", async () => {
  const lines = readFileSync(file, "utf8").split("\n");
  const line = lines.findIndex((text) => text.startsWith("Some words about part 20")) + 1;
  await page.locator(".live-bar input").fill(String(line));
  await page.locator(".live-bar input").press("Enter");
  await page.waitForSelector(".live-spot");
  const spot = await page.locator(".live-spot").boundingBox();
  assert.ok(spot.y > 0 && spot.y < 800, `at ${spot.y}`);
  const figure = await page.locator("figure", { has: page.locator(".live-spot") }).boundingBox();
  await page.keyboard.press("Escape");
  assert.equal(await page.locator(".live-spot").count(), 0);
  // Half a line below its upper edge, in the column of the text.
  await page.mouse.click(figure.x + figure.width * 0.25, spot.y + 8);
  await page.waitForSelector(".live-spot code");
  assert.equal(await page.locator(".live-spot .live-place").innerText(), `probe.vine.md:${line}`);
  assert.equal(await page.locator(".live-spot code").innerText(), lines[line - 1]);
  await picture("print");
  await until("the editor", () => existsSync(join(folder, "edited.txt")));
  await until("the line", () => readFileSync(join(folder, "edited.txt"), "utf8").trim() === `probe.vine.md at ${line}`);
});

await test("print that is outdated while it is set is given up", async () => {
  const before = readFileSync(file, "utf8");
  const started = performance.now();
  for (let n = 1; n <= 5; n++) {
    writeFileSync(file, before.replace("The first words,", `The ${n} words,`));
    await page.waitForTimeout(60);
  }
  await until("the last of them", () => page.evaluate(async () => (await (await fetch("probe.html")).text()).includes("The 5 words,")));
  console.log(`    the last of five changes was on the page after ${Math.round(performance.now() - started)} ms`);
  writeFileSync(file, before);
  await until("print", async () => (await page.locator(".live-bar").innerText()).includes("0 blocks ran"));
});

await test("print leads back to the page", async () => {
  await page.locator(".live-bar a", { hasText: /^Page$/ }).click();
  await page.waitForSelector("text=The first words,");
});

await test("narrow and dark it is whole", async () => {
  await page.emulateMedia({ colorScheme: "dark" });
  await page.setViewportSize({ width: 420, height: 800 });
  await page.locator("#readings").evaluate((part) => part.scrollIntoView({ block: "center" }));
  await picture("narrow");
  assert.ok((await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)) <= 0);
  assert.deepEqual(await findings(page), []);
});

watching.kill("SIGINT");
await test("it ends when it is asked to", async () => {
  const code = await new Promise((ended) => (watching.exitCode !== null ? ended(watching.exitCode) : watching.on("exit", ended)));
  assert.equal(code, 0);
});
await finish("tests of the live page");
