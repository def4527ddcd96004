// Opens decks in a headless Chromium and does what a speaker and a listener do. Called by scripts/test-pages:
//
//     node deck.mjs TALK-deck.html UGLY-deck.html MANY-deck.html
//
// The first is tried in every way; all go through the W3C checker, and every slide of the first through axe.
import { strict as assert } from "node:assert";
import { resolve } from "node:path";
import { address, browser, findings, finish, opened, test, validate } from "./browser.mjs";

const decks = process.argv.slice(2).map((path) => resolve(path));
const [talk, ugly, many] = decks;
validate(decks);

/** A deck that may ask for nothing and say nothing. */
async function open(path, more = {}) {
  const { page, said, close } = await opened(path, { height: 720, ...more });
  page.at = () => page.evaluate(() => document.querySelector(".slide.current")?.id);
  page.ahead = () => page.locator(".slide.current .ahead").count();
  page.press = async (...keys) => { for (const key of keys) await page.keyboard.press(key); };
  page.done = async () => {
    assert.deepEqual(said, [], path);
    await close();
  };
  return page;
}

await test("keys and a remote control's keys go on and back, step by step", async () => {
  const page = await open(talk);
  const ids = await page.evaluate(() => [...document.querySelectorAll(".slide")].map((slide) => slide.id));
  assert.equal(await page.at(), ids[0]);
  for (const [on, back] of [["ArrowRight", "ArrowLeft"], ["PageDown", "PageUp"], ["Space", "Shift+Space"], ["ArrowDown", "ArrowUp"], ["n", "p"], ["Enter", "Backspace"]]) {
    await page.press(on);
    assert.equal(await page.at(), ids[1], on);
    await page.press(back);
    assert.equal(await page.at(), ids[0], back);
  }
  await page.press("End");
  assert.equal(await page.at(), ids.at(-1));
  await page.press("ArrowRight");
  assert.equal(await page.at(), ids.at(-1));
  await page.press("Home", "4", "Enter");
  assert.equal(await page.at(), ids[3]);
  await page.press("1", "0", "Enter");
  assert.equal(await page.at(), ids[9]);
  await page.done();
});

await test("steps come one by one, forwards and backwards, and are there for who reads without stepping", async () => {
  const page = await open(talk, { hash: "#is-it-the-sun" });
  assert.equal(await page.ahead(), 2);
  assert.ok((await page.locator(".slide.current").ariaSnapshot()).includes("What else takes water away?"));
  await page.press("ArrowRight");
  assert.equal(await page.ahead(), 1);
  assert.match(await page.locator(".told").textContent(), /nine to six/);
  await page.press("ArrowRight", "ArrowRight");
  assert.equal(await page.at(), "what-lies-below");
  await page.press("ArrowLeft");
  assert.equal(await page.at(), "is-it-the-sun");
  assert.equal(await page.ahead(), 0, "one comes back to a slide as one left it");
  await page.done();
});

await test("marked lines of code are stressed one after the other", async () => {
  const page = await open(talk, { hash: "#reading-it-from-the-probe" });
  const now = () => page.locator(".slide.current .line.now").allTextContents();
  assert.deepEqual(await now(), []);
  await page.press("ArrowRight");
  assert.match((await now()).join(), /^frame=/);
  await page.press("ArrowRight");
  assert.match((await now()).join(), /^probe=/);
  await page.done();
});

await test("an address leads to a slide, to a step, and to what stands on a slide; reload keeps both", async () => {
  const page = await open(talk, { hash: "#is-it-the-sun/1" });
  assert.equal(await page.ahead(), 1);
  await page.press("ArrowRight");
  await page.reload();
  assert.equal(await page.at(), "is-it-the-sun");
  assert.equal(await page.ahead(), 0);
  await page.evaluate(() => { location.hash = "#june"; });
  await page.waitForFunction(() => document.querySelector(".slide.current").id === "three-plots-one-june");
  await page.done();
});

await test("the menu leads to slides by section and keeps the focus in itself", async () => {
  const page = await open(talk);
  await page.press("m");
  const menu = page.locator("dialog.menu");
  assert.ok(await menu.isVisible());
  await page.press("ArrowRight");
  assert.equal(await page.at(), "title", "keys belong to the menu while it is open");
  await menu.getByRole("link", { name: "Forty centimetres down" }).click();
  assert.equal(await page.at(), "forty-centimetres-down");
  assert.ok(!(await menu.isVisible()));
  await page.press("m");
  assert.equal(await menu.locator("[aria-current]").textContent(), "Forty centimetres down");
  await page.press("Escape");
  assert.ok(!(await menu.isVisible()));
  await page.press("?");
  assert.ok((await page.locator("dialog.help").innerText()).includes("speaker's window"));
  await page.done();
});

await test("all slides at once: a click leads to one", async () => {
  const page = await open(talk);
  await page.press("o");
  assert.ok((await page.locator(".slide:visible").count()) > 8);
  await page.locator("#from-august-on").click({ force: true });
  assert.equal(await page.at(), "from-august-on");
  assert.equal(await page.locator(".slide:visible").count(), 1);
  await page.done();
});

await test("black, full screen and light or dark", async () => {
  const page = await open(talk);
  for (const key of ["b", "."]) {
    await page.press(key);
    assert.ok(await page.locator(".black").isVisible());
    await page.press(key);
    assert.equal(await page.locator(".black").count(), 0);
  }
  const ground = () => page.evaluate(() => getComputedStyle(document.querySelector(".slide.current")).backgroundColor);
  const light = await ground();
  await page.press("l");
  assert.notEqual(await ground(), light);
  await page.press("f");
  await page.waitForFunction(() => document.fullscreenElement !== null);
  await page.press("f");
  await page.done();
});

await test("the speaker's window has notes, what comes next and the time, and both windows follow each other", async () => {
  const page = await open(talk, { hash: "#three-plots-one-june" });
  const [speaker] = await Promise.all([page.context().waitForEvent("page"), page.keyboard.press("s")]);
  assert.match(await speaker.locator(".notes-view").innerText(), /ninth of June/);
  assert.match(await speaker.locator(".next-view").innerText(), /How fast is fast\?/);
  assert.match(await speaker.locator(".spent").innerText(), /^00:00:0\d$/);
  assert.match(await speaker.locator(".clock").innerText(), /^\d\d:\d\d$/);
  await page.press("ArrowRight");
  assert.match(await speaker.locator(".now-view").innerText(), /How fast is fast\?/);
  await speaker.bringToFront();
  await speaker.keyboard.press("ArrowRight");
  assert.equal(await page.ahead(), 2);
  await speaker.getByRole("button", { name: "Back" }).click();
  assert.equal(await page.ahead(), 3);
  assert.equal(await page.locator(".speaker:visible").count(), 0, "nobody else sees the notes");
  await page.reload();
  await page.bringToFront();
  // A browser that lets no document read from disk reach another's windows opens the window anew.
  const anew = page.context().waitForEvent("page", { timeout: 1500 }).catch(() => speaker);
  await page.press("PageDown");
  const again = await anew;
  await again.locator(".now-view").getByText("How fast is fast?").waitFor({ timeout: 5000 });
  await again.keyboard.press("End");
  assert.equal(await page.at(), "works", "the window follows again after a reload");
  await page.done();
});

await test("a finger goes on and back", async () => {
  const page = await open(talk, { hasTouch: true, width: 390, height: 700 });
  const swipe = (from, to) => page.evaluate(([from, to]) => {
    const target = document.querySelector(".slide.current");
    const touch = (x) => new Touch({ identifier: 1, target, clientX: x, clientY: 300 });
    target.dispatchEvent(new TouchEvent("touchstart", { bubbles: true, touches: [touch(from)], changedTouches: [touch(from)] }));
    target.dispatchEvent(new TouchEvent("touchend", { bubbles: true, touches: [], changedTouches: [touch(to)] }));
  }, [from, to]);
  await swipe(300, 100);
  assert.equal(await page.at(), "what-we-saw");
  await swipe(100, 300);
  assert.equal(await page.at(), "title");
  await page.done();
});

await test("printed, it is a page a slide", async () => {
  const page = await open(talk);
  const pdf = (await page.pdf({ preferCSSPageSize: true })).toString("latin1");
  assert.equal(pdf.match(/\/Type\s*\/Page\b/g).length, await page.locator(".slide").count());
  await page.done();
});

await test("without scripts the slides stand one below the other, whole, with all that comes in steps", async () => {
  const page = await open(talk, { javaScriptEnabled: false });
  assert.ok((await page.locator(".slide:visible").count()) > 8);
  assert.ok(await page.getByText("What else takes water away?").isVisible());
  assert.ok(await page.locator("nav.contents").isVisible());
  assert.equal(await page.locator(".bar:visible, .speaker:visible").count(), 0);
  await page.done();
});

await test("every slide has no finding by axe, light and dark", async () => {
  for (const colorScheme of ["light", "dark"]) {
    const page = await open(talk, { colorScheme, reducedMotion: "reduce" });
    for (let at = await page.locator(".slide").count(); at > 0; at -= 1) {
      assert.deepEqual(await findings(page), [], `${await page.at()} ${colorScheme}`);
      await page.press("PageDown");
      while ((await page.ahead()) > 0) await page.press("PageDown");
    }
    await page.done();
  }
});

await test("ugly slides lose nothing: what is too much is made smaller, and can be scrolled where that is not enough", async () => {
  const page = await open(ugly);
  const count = await page.locator(".slide").count();
  for (let at = 0; at < count; at += 1) {
    const found = await page.evaluate(() => {
      const slide = document.querySelector(".slide.current");
      const content = slide.querySelector(".content");
      const wide = [...slide.querySelectorAll("pre, .table, .equation")].filter((part) => part.scrollWidth > part.clientWidth + 2);
      return { id: slide.id, over: content.scrollHeight - content.clientHeight, across: content.scrollWidth - content.clientWidth, wide: wide.map((part) => part.className || part.tagName), scrolls: getComputedStyle(content).overflowY };
    });
    assert.deepEqual(found.wide, [], `${found.id} has something that is cut at its right`);
    assert.ok(found.across <= 1, `${found.id} runs ${found.across} to the right`);
    assert.ok(found.over <= 1 || found.scrolls === "auto", `${found.id} runs over by ${found.over}`);
    await page.press("PageDown");
    while ((await page.ahead()) > 0) await page.press("PageDown");
  }
  await page.done();
});

await test("two hundred slides: the hundred and fiftieth is there at once, and a step takes no time", async () => {
  const page = await open(many, { hash: "#part-150" });
  assert.equal(await page.at(), "part-150");
  const times = await page.evaluate(async () => {
    const [load] = performance.getEntriesByType("navigation");
    const press = () => document.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowRight", bubbles: true }));
    const steps = [];
    for (let at = 0; at < 20; at += 1) {
      const start = performance.now();
      press();
      steps.push(performance.now() - start);
      await new Promise(requestAnimationFrame);
    }
    steps.sort((a, b) => a - b);
    return { load: load.domContentLoadedEventEnd, step: steps[10] };
  });
  console.log(`    200 slides: there after ${times.load.toFixed(0)} ms, a step takes ${times.step.toFixed(1)} ms`);
  // Machines are noisy: this is no more than a bound that a mistake breaks.
  assert.ok(times.load < 3000 && times.step < 100, JSON.stringify(times));
  await page.done();
});

await finish("tests of decks");
