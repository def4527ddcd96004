// How long the longest task is while a page is scrolled from its beginning to its end, in milliseconds, a line for each
// page. Called by scripts/bench:
//
//     node scroll.mjs PAGE.html…
import { resolve } from "node:path";
import { address, browser } from "./browser.mjs";

for (const path of process.argv.slice(2)) {
  const page = await browser.newPage();
  await page.goto(address(resolve(path)));
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
