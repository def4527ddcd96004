// How long the longest task is while a page is scrolled from its beginning to its end, in milliseconds, a line for each
// page. Called by scripts/bench:
//
//     node scroll.mjs PAGE.html…
import { execFileSync } from "node:child_process";
import { resolve } from "node:path";
import { pathToFileURL } from "node:url";
import { chromium } from "playwright-core";

const executablePath = ["/usr/bin/chromium", "/usr/bin/google-chrome"].find((path) => {
  try { execFileSync(path, ["--version"]); return true; } catch { return false; }
});
const browser = await chromium.launch({
  executablePath,
  args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
});
for (const path of process.argv.slice(2)) {
  const page = await browser.newPage();
  await page.goto(pathToFileURL(resolve(path)).href);
  const longest = await page.evaluate(async () => {
    let longest = 0;
    new PerformanceObserver((list) => { for (const entry of list.getEntries()) longest = Math.max(longest, entry.duration); }).observe({ type: "longtask" });
    const height = document.documentElement.scrollHeight;
    for (let at = 0; at < height; at += height / 120) {
      scrollTo(0, at);
      await new Promise(requestAnimationFrame);
    }
    return longest;
  });
  console.log(longest);
  await page.close();
}
await browser.close();
