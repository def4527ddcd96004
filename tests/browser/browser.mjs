// A headless Chromium, and what the tests in it share. The W3C checker and axe come with it.
import { execFileSync } from "node:child_process";
import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import { dirname, join } from "node:path";
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";

const require = createRequire(import.meta.url);

const executablePath = ["/usr/bin/chromium", "/usr/bin/google-chrome"].find((path) => {
  try { execFileSync(path, ["--version"]); return true; } catch { return false; }
});
export const browser = await chromium.launch({
  executablePath,
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});

export const address = (path) => pathToFileURL(path).href;

/** Puts files through the W3C checker, which ends the tests where it finds an error. */
export function validate(paths) {
  const jar = join(dirname(require.resolve("vnu-jar/package.json")), "build/dist/vnu.jar");
  execFileSync("java", ["-jar", jar, "--errors-only", ...paths], { stdio: "inherit" });
  console.log(`the W3C checker finds no error in ${paths.length} files`);
}

/** A file in a page of its own, and what it says to the console or asks of anybody. `context` has settings of the browser. */
export async function opened(path, { hash = "", width = 1280, height = 800, ...context } = {}) {
  const own = await browser.newContext({ viewport: { width, height }, ...context });
  await own.grantPermissions(["clipboard-read", "clipboard-write"]).catch(() => {});
  const page = await own.newPage();
  const said = [];
  page.on("console", (message) => said.push(message.text()));
  page.on("pageerror", (error) => said.push(String(error)));
  page.on("request", (request) => {
    if (!request.url().startsWith("data:") && request.url().split("#")[0] !== address(path)) said.push(`asked for ${request.url()}`);
  });
  await page.goto(address(path) + hash);
  return { page, said, close: () => own.close() };
}

const axe = readFileSync(require.resolve("axe-core/axe.min.js"), "utf8");
const RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"];

/** What axe finds on a page as it is now, a line each. */
export async function findings(page) {
  if (!(await page.evaluate(() => "axe" in window))) await page.evaluate(axe);
  const { violations } = await page.evaluate((rules) => window.axe.run({ runOnly: rules }), RULES);
  return violations.map((v) => `${v.id}: ${v.nodes.map((n) => `${n.target} ${n.any[0]?.message ?? n.html.slice(0, 120)}`).join("; ").slice(0, 400)}`);
}

let passed = 0;

/** One test: one that fails is told, and the others go on. */
export async function test(what, body) {
  try {
    await body();
    passed += 1;
    console.log(`ok  ${what}`);
  } catch (error) {
    console.error(`FAILED  ${what}\n${error.stack}`);
    process.exitCode = 1;
  }
}

/** Closes the browser and says how it went. */
export async function finish(what) {
  await browser.close();
  console.log(`${passed} ${what} passed${process.exitCode ? ", and some failed" : ""}`);
}
