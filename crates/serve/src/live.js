"use strict";
// The live page: what changed is exchanged in place, and what happens is shown where it happens.
(() => {
  const own = document.currentScript;
  let version = Number(own.dataset.version);
  const isPage = Boolean(document.querySelector("main article"));
  const isPrint = document.body.classList.contains("live-printed");
  const here = new URL("./", location.href);

  // The bar: what is going on, and what can be asked for.
  const bar = document.createElement("div");
  bar.className = "live-bar";
  bar.dataset.livePart = "";
  bar.setAttribute("role", "status");
  const words = document.createElement("span");
  const ask = (text, what) => {
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = text;
    button.addEventListener("click", () => fetch(new URL(what(), here), { method: "POST" }));
    bar.append(button);
    return button;
  };
  bar.append(words);
  let paused = false;
  ask("Run again", () => "again").title = "Runs the blocks that run at every weave, too";
  // Other ways to look at the document: print, slides.
  const views = document.createElement("span");
  bar.append(views);
  const offer = (all) => {
    const others = all.filter(([, file]) => new URL(encodeURIComponent(file), here).pathname !== location.pathname);
    views.replaceChildren(...others.map(([title, file]) => {
      const link = document.createElement("a");
      link.href = encodeURIComponent(file);
      link.textContent = title;
      return link;
    }));
  };
  const pause = ask("Pause", () => (paused ? "go-on" : "pause"));
  document.body.append(bar);
  const say = (text, state) => { words.textContent = text; bar.dataset.state = state; };

  // Blocks: waiting, running with the time, done.
  const block = (id) => {
    const found = document.getElementById(id);
    return found && (found.closest(".run") || found);
  };
  let running = null;
  let started = 0;
  const tick = () => {
    if (!running) return;
    const seconds = (performance.now() - started) / 1000;
    const time = seconds < 10 ? seconds.toFixed(1) : Math.round(seconds).toString();
    const most = running.usual ? ` of about ${running.usual < 10 ? running.usual.toFixed(1) : Math.round(running.usual)}` : "";
    say(`${running.title} runs: ${time}${most} s`, "running");
    const place = block(running.id);
    if (place) place.dataset.liveTime = `runs ${time} s`;
  };
  setInterval(tick, 100);
  const mark = (id, state) => {
    const place = block(id);
    if (!place) return;
    if (state) place.dataset.live = state; else delete place.dataset.live;
    delete place.dataset.liveTime;
  };
  const unmark = () => {
    for (const output of document.querySelectorAll(".live-output")) output.remove();
    for (const place of document.querySelectorAll("[data-live]")) { delete place.dataset.live; delete place.dataset.liveTime; }
  };

  // A failure lies over its own block until it is mended; what the block gave before stays below it, greyed.
  const mended = () => {
    for (const failure of document.querySelectorAll(".live-failure")) failure.remove();
    for (const stale of document.querySelectorAll(".live-stale")) stale.classList.remove("live-stale");
  };
  const failed = (event) => {
    mended();
    unmark();
    const place = event.id && block(event.id);
    const box = document.createElement("div");
    box.className = "live-failure";
    box.dataset.livePart = "";
    box.setAttribute("role", "alert");
    for (const finding of event.findings) {
      const line = document.createElement("p");
      const at = document.createElement("span");
      at.className = "live-place";
      at.textContent = finding.line ? `${finding.file}:${finding.line}` : "";
      line.append(at, ` ${finding.message}`);
      if (finding.help) {
        const help = document.createElement("small");
        help.textContent = finding.help;
        line.append(help);
      }
      box.append(line);
    }
    if (event.output) {
      const output = document.createElement("pre");
      output.textContent = event.output;
      box.append(output);
    }
    if (place) {
      place.classList.add("live-stale");
      place.before(box);
    } else {
      (document.querySelector("main") || document.body).prepend(box);
    }
    say(place ? `${event.title || "a block"} failed` : "the document can't be woven as it is", "failed");
  };

  // The parts of a page that are exchanged as wholes, with their source.
  const parts = (page) => {
    const article = page.querySelector("main article");
    return article ? [...article.children].filter((part) => !("livePart" in part.dataset)) : [];
  };
  const source = (part) => part.outerHTML;
  let known = null;
  const fetched = async () => {
    const answer = await fetch(location.pathname, { cache: "no-store" });
    if (!answer.ok) throw new Error(String(answer.status));
    return new DOMParser().parseFromString(await answer.text(), "text/html");
  };
  const versionOf = (page) => Number(page.querySelector("script[data-live-part]")?.dataset.version);

  // Which of the old parts stay: the longest common run of sources, beginning and end first.
  const kept = (before, after) => {
    const stays = new Array(after.length).fill(-1);
    let start = 0;
    while (start < before.length && start < after.length && before[start] === after[start]) stays[start] = start++;
    let endOld = before.length, endNew = after.length;
    while (endOld > start && endNew > start && before[endOld - 1] === after[endNew - 1]) stays[--endNew] = --endOld;
    const rows = endOld - start, columns = endNew - start;
    if (rows * columns === 0 || rows * columns > 4e6) return stays;
    const table = Array.from({ length: rows + 1 }, () => new Uint32Array(columns + 1));
    for (let r = rows - 1; r >= 0; r--) {
      for (let c = columns - 1; c >= 0; c--) {
        table[r][c] = before[start + r] === after[start + c] ? table[r + 1][c + 1] + 1 : Math.max(table[r + 1][c], table[r][c + 1]);
      }
    }
    for (let r = 0, c = 0; r < rows && c < columns;) {
      if (before[start + r] === after[start + c]) stays[start + c++] = start + r++;
      else if (table[r + 1][c] >= table[r][c + 1]) r++;
      else c++;
    }
    return stays;
  };

  // What a reader has done to a part: folds, tabs, how far something is scrolled, where the focus is.
  const remembered = (part) => ({
    folds: [...part.querySelectorAll("details")].map((fold) => fold.open),
    tabs: [...part.querySelectorAll(".tabs")].map((tabs) => [...tabs.querySelectorAll('[role="tab"]')].findIndex((tab) => tab.ariaSelected === "true")),
    scrolled: [...part.querySelectorAll("pre, .table")].map((it) => [it.scrollLeft, it.scrollTop]),
    focus: [...part.querySelectorAll("a, button, summary, [tabindex]")].indexOf(document.activeElement),
  });
  const done = (part, memory) => {
    part.querySelectorAll("details").forEach((fold, at) => { if (memory.folds[at] !== undefined) fold.open = memory.folds[at]; });
    part.querySelectorAll(".tabs").forEach((tabs, at) => { tabs.querySelectorAll('[role="tab"]')[memory.tabs[at]]?.click(); });
    part.querySelectorAll("pre, .table").forEach((it, at) => { if (memory.scrolled[at]) [it.scrollLeft, it.scrollTop] = memory.scrolled[at]; });
    if (memory.focus >= 0) part.querySelectorAll("a, button, summary, [tabindex]")[memory.focus]?.focus({ preventScroll: true });
  };

  // Blocks that wait to be asked for keep what they gave before, in grey, with what they wait for above it.
  let waiting = [];
  // Only a part that is the block, or its figure: what else stands with it in one part is shown as it is now.
  const waits = (part) => waiting.find(({ id }) => {
    const named = part.id === id ? part : part.querySelector(`#${CSS.escape(id)}`);
    return named && (part.tagName === "FIGURE" || (named.closest(".run") ?? named) === part);
  });
  const askFor = document.createElement("button");
  askFor.type = "button";
  askFor.textContent = "Run what waits";
  askFor.hidden = true;
  askFor.addEventListener("click", () => fetch(new URL("waiting", here), { method: "POST" }));
  bar.prepend(askFor);
  const showWaiting = () => {
    askFor.hidden = waiting.length === 0;
    for (const { id, why } of waiting) {
      const place = block(id);
      if (!place) continue;
      const box = document.createElement("div");
      box.className = "live-failure live-waits";
      box.dataset.livePart = "";
      box.textContent = why;
      place.classList.add("live-stale");
      place.before(box);
    }
  };

  const exchange = (page) => {
    const article = document.querySelector("main article");
    const fresh = parts(page);
    const sources = fresh.map(source);
    const stays = kept(known.sources, sources);
    const staying = new Set(stays.filter((at) => at >= 0));
    // The first part in sight that stays is where the reader is.
    const anchor = known.nodes.find((node, at) => staying.has(at) && node.getBoundingClientRect().bottom > 0);
    const top = anchor?.getBoundingClientRect().top;
    const gone = known.nodes.filter((_, at) => !staying.has(at));
    const memories = gone.map(remembered);
    const nodes = [];
    const added = [];
    let ahead = gone.map((_, at) => at);
    fresh.forEach((part, at) => {
      if (stays[at] >= 0) {
        nodes.push(known.nodes[stays[at]]);
        return;
      }
      const waiter = waits(part);
      const before = waiter && known.nodes.find((node) => node.isConnected && (node.id === waiter.id || node.querySelector(`#${CSS.escape(waiter.id)}`)));
      if (before && !nodes.includes(before)) {
        nodes.push(before);
        return;
      }
      const node = document.importNode(part, true);
      // It takes the place of what was most like it: the same kind of part, the first that is left.
      const like = ahead.find((old) => gone[old].tagName === node.tagName && gone[old].className.replace(" live-stale", "") === node.className);
      if (like !== undefined) ahead = ahead.filter((old) => old > like);
      added.push([node, like === undefined ? null : memories[like]]);
      nodes.push(node);
    });
    let before = null;
    for (const node of [...nodes].reverse()) {
      if (node.parentNode !== article || node.nextElementSibling !== before) article.insertBefore(node, before);
      before = node;
    }
    for (const node of gone) if (!nodes.includes(node)) node.remove();
    known = { sources, nodes };
    for (const selector of ["nav.contents", "body > footer, main > footer", "main > .house-head", "main > .house-foot"]) {
      const [old, now] = [document.querySelector(selector), page.querySelector(selector)];
      if (old && now && old.dataset.liveSource !== source(now)) {
        const node = document.importNode(now, true);
        node.dataset.liveSource = source(now);
        const fold = old.querySelector("details")?.open;
        old.replaceWith(node);
        if (fold !== undefined && node.querySelector("details")) node.querySelector("details").open = fold;
      }
    }
    document.title = page.title;
    const styles = (it) => [...it.head.querySelectorAll("style")];
    styles(page).forEach((style, at) => {
      const old = styles(document)[at];
      if (old && old.textContent !== style.textContent) old.textContent = style.textContent;
    });
    document.dispatchEvent(new CustomEvent("parts-exchanged", { detail: added.map(([node]) => node) }));
    for (const [node, memory] of added) {
      if (memory) done(node, memory);
      node.classList.add("live-changed");
      setTimeout(() => node.classList.remove("live-changed"), 1800);
    }
    if (anchor) scrollBy({ top: anchor.getBoundingClientRect().top - top, behavior: "instant" });
  };

  const bring = async (wanted) => {
    if (wanted <= version) return;
    // Pages of print are exchanged by themselves, as soon as they are set.
    if (isPrint) {
      version = wanted;
      mended();
      document.documentElement.dataset.liveVersion = String(version);
      return;
    }
    // What is no page of running text, or was none, is shown anew, where it was: a deck keeps its slide in the address.
    if (!isPage) return location.reload();
    const page = await fetched();
    if (!known || !parts(page).length) return location.reload();
    version = versionOf(page);
    mended();
    unmark();
    exchange(page);
    showWaiting();
    document.documentElement.dataset.liveVersion = String(version);
  };

  const events = {
    now: (event) => {
      if (event.version < version) return location.reload();
      return bring(event.version);
    },
    begins: (event) => {
      running = null;
      waiting = [];
      say("weaving", "running");
      for (const id of event.ids) mark(id, "waiting");
    },
    starts: (event) => {
      running = event;
      started = performance.now();
      for (const id of event.waiting) mark(id, "waiting");
      mark(event.id, "running");
      tick();
    },
    prints: (event) => {
      const place = running && block(running.id);
      if (!place) return;
      let output = place.querySelector(":scope > .live-output");
      if (!output) {
        output = document.createElement("pre");
        output.className = "live-output";
        output.dataset.livePart = "";
        place.append(output);
      }
      // The last of it: what is whole stands in the page when the block is done.
      output.textContent = (output.textContent + event.text).split("\n").slice(-400).join("\n");
      output.scrollTop = output.scrollHeight;
    },
    block: (event) => {
      if (running && running.id === event.id) running = null;
      mark(event.id, event.state === "kept" ? null : event.state);
    },
    waits: (event) => { waiting = event.blocks; },
    shown: (event) => bring(event.version),
    pages: () => document.dispatchEvent(new CustomEvent("pages-set")),
    failed: (event) => { running = null; failed(event); },
    woven: async (event) => {
      running = null;
      offer(event.views);
      waiting = event.waits;
      const ran = event.ran === 1 ? "1 block ran" : `${event.ran} blocks ran`;
      await bring(event.version);
      unmark();
      mended();
      showWaiting();
      const wait = waiting.length ? `, ${waiting.length} wait` : "";
      say(`${ran}, ${event.kept} kept${wait}, ${event.seconds.toFixed(2)} s`, "woven");
    },
    paused: () => { paused = true; pause.textContent = "Go on"; say("paused: nothing is woven", "paused"); },
    "goes-on": () => { paused = false; pause.textContent = "Pause"; say("waiting for a change", "woven"); },
  };

  const listen = () => {
    const stream = new EventSource(new URL("events", here));
    stream.onmessage = (message) => {
      const event = JSON.parse(message.data);
      // One after the other: what one is told waits until what came before is seen.
      busy = busy.then(() => events[event.event]?.(event)).catch(() => say("the page can't be fetched", "failed"));
    };
    stream.onerror = () => say("watching has ended, or the machine slept: trying again", "gone");
  };
  let busy = Promise.resolve();
  if (isPage) {
    // The sources of what is shown, before scripts dressed it.
    busy = fetched().then((page) => {
      if (versionOf(page) !== version) return location.reload();
      const nodes = parts(document);
      const sources = parts(page).map(source);
      known = nodes.length === sources.length ? { sources, nodes } : null;
      for (const selector of ["nav.contents", "body > footer, main > footer"]) {
        const [shown, fresh] = [document.querySelector(selector), page.querySelector(selector)];
        if (shown && fresh) shown.dataset.liveSource = source(fresh);
      }
    }).catch(() => {});
  }
  say("waiting for a change", "woven");
  document.documentElement.dataset.liveVersion = String(version);
  listen();
})();
