// Opens pages in a headless Chromium and does what a reader does. Called by scripts/test:
//
//     node check.mjs FIXTURE.html FIXTURE.vine.md PAGE.html…
//
// The fixture is tried in every way; all pages go through the W3C checker and axe, and may neither ask for anything
// nor say anything to the console.
import { strict as assert } from "node:assert";
import { readFileSync } from "node:fs";
import { resolve } from "node:path";
import { findings, finish, opened, test, validate } from "./browser.mjs";

const [fixture, source, ...others] = process.argv.slice(2).map((path) => resolve(path));
const pages = [fixture, ...others];
validate(pages);

/** A page that may ask for nothing and say nothing. */
async function open(path, { quiet = true, ...more } = {}) {
  const { page, said, close } = await opened(path, { colorScheme: "light", acceptDownloads: true, ...more });
  page.done = async () => {
    // A strict page says that it stopped a script which a block brought; that is tried below.
    if (quiet) assert.deepEqual(said.filter((line) => !line.includes("Content Security Policy")), [], path);
    await close();
    return said;
  };
  return page;
}

for (const path of pages) {
  for (const colorScheme of ["light", "dark"]) {
    await test(`${path.split("/").pop()} has no finding by axe, ${colorScheme}`, async () => {
      const page = await open(path, { colorScheme, bypassCSP: true, quiet: false });
      await page.evaluate(() => { for (const fold of document.querySelectorAll("details")) fold.open = true; });
      const seen = [];
      const look = async () => { seen.push(...await findings(page)); };
      await look();
      for (const tab of await page.locator("[role=tab][aria-selected=false]").all()) {
        if (await tab.isVisible()) { await tab.click(); await look(); }
      }
      assert.deepEqual(seen, []);
      await page.done();
    });
  }
  await test(`${path.split("/").pop()} is read at 320 pixels, and without scripts`, async () => {
    const narrow = await open(path, { width: 320, height: 640 });
    const over = await narrow.evaluate(() => document.documentElement.scrollWidth - innerWidth);
    assert.ok(over <= 0, `${over} pixels too wide`);
    await narrow.done();
    const bare = await open(path, { javaScriptEnabled: false, quiet: false });
    assert.ok((await bare.locator("article").innerText()).length > 200);
    assert.equal(await bare.locator(".tab").evaluateAll((tabs) => tabs.filter((tab) => tab.hidden).length).catch(() => 0), 0);
    await bare.done();
  });
}

await test("all folds open and close, and one alone", async () => {
  const page = await open(fixture, { quiet: false });
  const button = page.locator("[data-fold-all]");
  const states = () => page.locator(".run details.fold").evaluateAll((folds) => folds.map((fold) => fold.open));
  assert.deepEqual(await states(), [false, true, false]);
  await button.click();
  assert.deepEqual(await states(), [true, true, true]);
  assert.equal(await button.textContent(), "Fold all");
  await button.click();
  assert.deepEqual(await states(), [false, false, false]);
  await page.locator("#folded summary").click();
  assert.deepEqual(await states(), [true, false, false]);
  await page.done();
});

await test("tabs are walked by keyboard, also a tab in a tab", async () => {
  const page = await open(fixture, { quiet: false });
  const tab = (name) => page.getByRole("tab", { name, exact: true });
  await tab("Morning").focus();
  await page.keyboard.press("ArrowRight");
  assert.equal(await tab("Evening").getAttribute("aria-selected"), "true");
  assert.ok(await page.getByText("In the evening, the terrace.").isVisible());
  assert.ok(!(await page.getByText("In the morning, the meadow.").isVisible()));
  await page.keyboard.press("Home");
  await tab("Wet").focus();
  await page.keyboard.press("End");
  assert.equal(await tab("Dry").getAttribute("aria-selected"), "true");
  assert.equal(await tab("Morning").getAttribute("aria-selected"), "true");
  await page.done();
});

await test("a link into a tab in a tab and a fold opens them all", async () => {
  for (const direct of [true, false]) {
    const page = await open(fixture, { hash: direct ? "#inside" : "", quiet: false });
    if (!direct) await page.getByRole("link", { name: "the block in there" }).click();
    await page.locator("#inside").waitFor({ state: "visible" });
    assert.ok(await page.getByText("deep", { exact: true }).isVisible());
    await page.done();
  }
});

await test("figures enlarge, page through, and close where they were", async () => {
  const page = await open(fixture, { quiet: false });
  const dialog = page.locator("dialog.enlarged");
  await page.getByRole("button", { name: "Enlarge: A line that rises" }).click();
  assert.ok(await dialog.isVisible());
  assert.match(await dialog.innerText(), /The first line/);
  await page.keyboard.press("ArrowRight");
  assert.match(await dialog.innerText(), /The second line/);
  await page.getByRole("button", { name: "Next figure" }).click();
  assert.match(await dialog.innerText(), /The first line/);
  await page.keyboard.press("Escape");
  assert.ok(!(await dialog.isVisible()));
  assert.equal(await page.evaluate(() => document.activeElement.getAttribute("aria-label")), "Enlarge: A line that rises");
  await page.done();
});

await test("the contents follow the reader", async () => {
  const page = await open(fixture, { height: 500, quiet: false });
  const current = () => page.locator("nav.contents a[aria-current]").innerText();
  const first = await current();
  await page.evaluate(() => document.getElementById("code").scrollIntoView());
  await page.waitForFunction((was) => document.querySelector("nav.contents a[aria-current]")?.innerText !== was, first);
  assert.match(await current(), /Code/);
  await page.done();
});

await test("a copied listing has no line numbers", async () => {
  const page = await open(fixture, { quiet: false });
  // A page from a file has no clipboard of its own in every browser: what would be copied is looked at.
  const copied = await page.locator(".code code:has(.line)").first().evaluate((code) => code.textContent);
  assert.equal(copied, 'probes = ["North", "Low"]\nfor probe in probes:\n    print(probe)');
  await page.done();
});

await test("what is attached is the source, byte for byte", async () => {
  const page = await open(fixture, { quiet: false });
  const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: /^the source/ }).click()]);
  assert.equal(readFileSync(await download.path(), "utf8"), readFileSync(source, "utf8"));
  assert.equal(download.suggestedFilename(), source.split("/").pop());
  await page.done();
});

await test("light and dark are switched, and the choice is kept", async () => {
  const page = await open(fixture, { quiet: false });
  const ground = () => page.evaluate(() => getComputedStyle(document.body).backgroundColor);
  const light = await ground();
  await page.locator("[data-look-switch]").click();
  const dark = await ground();
  assert.notEqual(light, dark);
  await page.reload();
  assert.equal(await ground(), dark);
  await page.locator("[data-look-switch]").click();
  assert.equal(await ground(), light);
  await page.done();
});

await test("what a block prints becomes no markup, and a strict page runs no script that a block brings", async () => {
  const page = await open(fixture, { quiet: false });
  assert.match(await page.title(), /What a page can do/);
  assert.ok(await page.locator("#hostile samp").innerText().then((text) => text.includes("<script>")));
  assert.ok(await page.locator("#brought").isVisible());
  assert.equal(await page.locator("#hostile img, #hostile samp script").count(), 0);
  const said = await page.done();
  assert.ok(said.some((line) => /Content Security Policy/.test(line)), "the policy stopped the script");
});

await test("five hundred blocks scroll to their end", async () => {
  const page = await open(others.find((path) => path.endsWith("many.html")), { quiet: false });
  const reached = await page.evaluate(async () => {
    const height = document.documentElement.scrollHeight;
    for (let at = 0; at < height; at += height / 120) {
      scrollTo(0, at);
      await new Promise(requestAnimationFrame);
    }
    scrollTo(0, height);
    await new Promise(requestAnimationFrame);
    return Math.round(scrollY + innerHeight) >= document.documentElement.scrollHeight - 1;
  });
  assert.ok(reached);
  await page.done();
});

await finish("browser tests");
