"use strict";
(() => {
  const root = document.documentElement;
  // What the deck says in another language than English.
  const said = JSON.parse(root.dataset.words || "{}");
  const word = (key, usual) => said[key] || usual;
  const body = document.body;
  const slides = [...document.querySelectorAll(".slide")];
  if (!slides.length) return;
  const wide = Number(body.dataset.wide);
  const high = Number(body.dataset.high);
  const bar = document.querySelector(".bar");
  const told = document.querySelector(".told");
  const where = bar.querySelector(".where");
  const title = (slide) => slide.getAttribute("aria-label");
  const stepOf = (part) => Number(part.dataset.step || part.dataset.mark);
  const parts = slides.map((slide) => [...slide.querySelectorAll("[data-step], [data-mark]")]);
  const steps = parts.map((of) => Math.max(0, ...of.map(stepOf)));
  let at = -1;
  let step = 0;

  // What does not fit its slide is made smaller: wide things by themselves, then all text; pictures fill what is left.
  const fitted = new Set();
  const fit = (slide) => {
    if (fitted.has(slide)) return;
    fitted.add(slide);
    slide.classList.add("measuring");
    const content = slide.querySelector(".content");
    const inner = slide.querySelector(".body") || content;
    const pictures = [...slide.querySelectorAll(".content .picture img, .content p > img")];
    const rows = pictures.filter((p) => !p.closest(".side-by-side, .columns")).length
      + slide.querySelectorAll(".content .side-by-side").length
      + Math.max(0, ...[...slide.querySelectorAll(".columns > div")].map((c) => c.querySelectorAll("img").length));
    const narrow = () => {
      for (const part of slide.querySelectorAll(".content .table, .content .equation, .content pre")) {
        part.style.fontSize = "";
        const share = part.clientWidth / part.scrollWidth;
        // No line is cut, however small it gets.
        if (share < 1) part.style.fontSize = `${parseFloat(getComputedStyle(part).fontSize) * share * 0.97}px`;
      }
    };
    const over = () => inner.scrollHeight > content.clientHeight + 1;
    const give = () => {
      narrow();
      if (!pictures.length) return;
      slide.style.setProperty("--picture", "0px");
      const left = (content.clientHeight - inner.scrollHeight) / Math.max(1, rows) - 4;
      slide.style.setProperty("--picture", `${Math.max(high * 0.16, Math.min(left, high * 0.78))}px`);
    };
    for (let share = 1; share >= 0.42; share -= 0.06) {
      slide.style.setProperty("--fit", share.toFixed(2));
      give();
      if (!over()) break;
    }
    if (over() && slide.querySelector("pre")) {
      for (let share = 0.9; share >= 0.3 && over(); share -= 0.1) slide.style.setProperty("--code-fit", share.toFixed(2));
    }
    slide.classList.remove("measuring");
  };
  const fitAgain = () => { fitted.clear(); if (at >= 0) fit(slides[at]); };

  const place = () => {
    const scale = Math.min(innerWidth / wide, innerHeight / high);
    root.style.setProperty("--scale", scale);
    root.style.setProperty("--left", `${(innerWidth - wide * scale) / 2}px`);
    root.style.setProperty("--top", `${(innerHeight - high * scale) / 2}px`);
  };

  const stepped = (of, upTo) => {
    for (const part of of) {
      const own = stepOf(part);
      if (part.dataset.mark) part.classList.toggle("now", own === upTo);
      else part.classList.toggle("ahead", own > upTo);
    }
  };

  const show = (next, nextStep) => {
    next = Math.min(Math.max(next, 0), slides.length - 1);
    nextStep = Math.min(Math.max(nextStep, 0), steps[next]);
    const moved = next !== at;
    const forward = nextStep > step;
    step = nextStep;
    if (moved) {
      const held = at >= 0 && (slides[at].contains(document.activeElement) || document.activeElement === body);
      if (at >= 0) slides[at].classList.remove("current");
      at = next;
      slides[at].classList.add("current");
      fit(slides[at]);
      if (held) slides[at].focus({ preventScroll: true });
    }
    stepped(parts[at], step);
    const came = parts[at].filter((part) => stepOf(part) === step).map((part) => part.textContent.trim());
    if (moved) told.textContent = title(slides[at]);
    else if (forward && came.length) told.textContent = came.join(" ");
    where.textContent = `${at + 1} / ${slides.length}`;
    const hash = `#${slides[at].id}${step ? `/${step}` : ""}`;
    if (location.hash !== hash) {
      try { history.replaceState(null, "", hash); } catch { /* the address stays as it was */ }
    }
    for (const link of document.querySelectorAll("dialog .contents a")) {
      if (link.hash === `#${slides[at].id}`) link.setAttribute("aria-current", "true");
      else link.removeAttribute("aria-current");
    }
    tellSpeaker();
  };
  const forward = () => (step < steps[at] ? show(at, step + 1) : at + 1 < slides.length && show(at + 1, 0));
  const back = () => (step > 0 ? show(at, step - 1) : at > 0 && show(at - 1, steps[at - 1]));

  // An address leads to a slide, or to something on one.
  const follow = () => {
    const [id, number] = decodeURIComponent(location.hash.slice(1)).split("/");
    const target = id && document.getElementById(id);
    const slide = target && target.closest(".slide");
    if (!slide) return at < 0 && show(0, 0);
    const index = slides.indexOf(slide);
    const inside = target.closest("[data-step]");
    show(index, number ? Number(number) : inside && inside !== slide ? stepOf(inside) : 0);
  };
  addEventListener("hashchange", follow);

  // Sheets: the menu by section, and what the keys do.
  const sheet = (name, heading, content) => {
    const dialog = document.createElement("dialog");
    dialog.className = `sheet ${name}`;
    dialog.setAttribute("aria-label", heading);
    const close = document.createElement("button");
    close.type = "button";
    close.className = "dialog-close";
    close.textContent = word("close", "Close");
    close.addEventListener("click", () => dialog.close());
    const words = document.createElement("h2");
    words.textContent = heading;
    dialog.append(close, words, content);
    dialog.addEventListener("click", (event) => { if (event.target === dialog || event.target.closest("a")) dialog.close(); });
    body.append(dialog);
    return dialog;
  };
  const contents = document.querySelector("nav.contents");
  let menu = null;
  if (contents) menu = sheet("menu", word("slides", "Slides"), contents);
  const KEYS = [
    ["\u2192, space, page down", word("on", "on")], ["\u2190, page up", word("back", "back")],
    ["home, end", word("first-and-last-slide", "first slide, last slide")], ["12 enter", word("slide", "slide #").replace("#", "12")],
    ["m", word("menu", "menu")], ["o", word("all-slides", "all slides")], ["s", word("speakers-window", "speaker's window")],
    ["f", word("full-screen", "full screen")], ["b or .", word("black", "black")], ["l", word("light-or-dark", "light or dark")],
    ["?", word("these-keys", "these keys")],
  ];
  const table = document.createElement("table");
  for (const [keys, what] of KEYS) {
    const row = table.insertRow();
    const head = document.createElement("th");
    head.scope = "row";
    head.textContent = keys;
    row.append(head);
    row.insertCell().textContent = what;
  }
  const help = sheet("help", word("keys", "Keys"), table);
  const toggle = (dialog) => { if (dialog) { if (dialog.open) dialog.close(); else dialog.showModal(); } };

  const overview = (open = !root.classList.contains("overview")) => {
    if (open) slides.forEach(fit);
    root.classList.toggle("overview", open);
    if (open) slides[at].scrollIntoView({ block: "center" });
  };
  document.querySelector("main").addEventListener("click", (event) => {
    const slide = root.classList.contains("overview") && event.target.closest(".slide");
    if (!slide) return;
    overview(false);
    show(slides.indexOf(slide), 0);
  });

  let black = null;
  const blacken = () => {
    if (black) { black.remove(); black = null; return; }
    black = document.createElement("div");
    black.className = "black";
    black.addEventListener("click", blacken);
    body.append(black);
  };
  const full = () => {
    if (document.fullscreenElement) document.exitFullscreen();
    else if (root.requestFullscreen) root.requestFullscreen().catch(() => {});
  };

  // The speaker's window is a window of this very document: it works from disk, and follows in both directions.
  let speaker = null;
  let begun = null;
  const time = (ms) => {
    const seconds = Math.floor(ms / 1000);
    const two = (n) => String(n).padStart(2, "0");
    return `${two(Math.floor(seconds / 3600))}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`;
  };
  // Whether the window is open is remembered where the browser keeps anything: after a reload it follows again.
  const remember = (open) => { try { if (open) sessionStorage.setItem("speaker", "open"); else sessionStorage.removeItem("speaker"); } catch { /* it is opened by hand */ } };
  const isRemembered = () => { try { return sessionStorage.getItem("speaker") !== null; } catch { return false; } };
  const tick = () => {
    if (speaker && speaker.closed) { speaker = null; remember(false); }
    if (!speaker) return;
    const now = new Date();
    speaker.document.querySelector(".clock").textContent = now.toTimeString().slice(0, 5);
    speaker.document.querySelector(".spent").textContent = time(begun ? now - begun : 0);
  };
  const view = (holder, index, upTo) => {
    holder.replaceChildren();
    const slide = slides[index];
    if (!slide) return;
    fit(slide);
    const copy = speaker.document.importNode(slide, true);
    copy.classList.remove("current");
    holder.append(copy);
    stepped([...copy.querySelectorAll("[data-step], [data-mark]")], upTo);
    copy.style.transform = `scale(${holder.clientWidth / wide})`;
  };
  function tellSpeaker() {
    if (!speaker || speaker.closed) return;
    const page = speaker.document;
    view(page.querySelector(".now-view"), at, step);
    view(page.querySelector(".next-view"), step < steps[at] ? at : at + 1, step < steps[at] ? step + 1 : 0);
    const notes = page.querySelector(".notes-view");
    notes.replaceChildren();
    const own = slides[at].querySelector(".speaker");
    if (own) notes.append(page.importNode(own, true));
    page.querySelector(".where").textContent = `${at + 1} / ${slides.length}`;
    tick();
  }
  const openSpeaker = () => {
    let opened = window.open("", "deck-speaker", "width=1180,height=760");
    if (!opened) return;
    try {
      fillSpeaker(opened);
    } catch {
      // A window that was opened before this document was read again belongs to the one before: another takes its place.
      opened.close();
      opened = window.open("", `deck-speaker-${Date.now()}`, "width=1180,height=760");
      if (opened) fillSpeaker(opened);
    }
  };
  function fillSpeaker(opened) {
    if (!opened.document.body) throw new Error("it is not there yet");
    speaker = opened;
    remember(true);
    begun = begun || new Date();
    const page = speaker.document;
    page.head.replaceChildren();
    page.title = word("speakers-window", "Speaker's window");
    page.documentElement.lang = root.lang;
    for (const name of ["look", "dark"]) if (name in root.dataset) page.documentElement.dataset[name] = root.dataset[name];
    for (const style of document.querySelectorAll("style")) page.head.append(page.importNode(style, true));
    page.body.className = "speaker-window";
    for (const name of ["--wide", "--high", "--ratio", "--text-scale", "--code-scale"]) {
      page.body.style.setProperty(name, body.style.getPropertyValue(name));
    }
    const make = (tag, name, text) => {
      const made = page.createElement(tag);
      made.className = name;
      if (text) made.textContent = text;
      return made;
    };
    const times = make("div", "times");
    const button = (text, act) => {
      const made = make("button", "", text);
      made.type = "button";
      made.addEventListener("click", act);
      return made;
    };
    times.append(button(`\u2190 ${word("back", "Back")}`, back), button(`${word("on", "On")} \u2192`, forward), make("span", "where"), make("span", "clock"), make("span", "spent"),
      button(word("time-again", "Start the time again"), () => { begun = new Date(); tick(); }));
    page.body.replaceChildren(make("div", "view now-view"), make("div", "view next-view"), make("div", "notes-view"), times);
    speaker.onkeydown = key;
    speaker.onresize = tellSpeaker;
    tellSpeaker();
  }
  setInterval(tick, 1000);

  let typed = "";
  function key(event) {
    if (event.ctrlKey || event.altKey || event.metaKey) return;
    if (!speaker && event.key !== "s" && isRemembered()) openSpeaker();
    const target = event.target;
    const open = document.querySelector("dialog[open]");
    if (open && event.key !== "m" && event.key !== "?") return;
    if (target.closest && target.closest("input, textarea, select, [role=tab]")) return;
    const pressed = target.closest && target.closest("button, a, summary");
    if (pressed && (event.key === " " || event.key === "Enter")) return;
    const scrolls = target.closest && target.closest("pre, .table");
    if (scrolls && scrolls.scrollWidth > scrolls.clientWidth && event.key.startsWith("Arrow")) return;
    if (/^[0-9]$/.test(event.key)) { typed += event.key; return; }
    const number = typed;
    typed = "";
    const act = {
      ArrowRight: forward, ArrowDown: forward, PageDown: forward, n: forward,
      ArrowLeft: back, ArrowUp: back, PageUp: back, Backspace: back, p: back,
      " ": () => (event.shiftKey ? back() : forward()),
      Enter: () => (number ? show(Number(number) - 1, 0) : root.classList.contains("overview") ? overview(false) : forward()),
      Home: () => show(0, 0), End: () => show(slides.length - 1, 0),
      m: () => toggle(menu), o: () => overview(), f: full, F5: full, s: openSpeaker, b: blacken, ".": blacken,
      l: () => bar.querySelector("[data-look-switch]").click(),
      "?": () => toggle(help), h: () => toggle(help),
      Escape: () => { if (black) blacken(); else overview(false); },
    }[event.key];
    if (!act) return;
    event.preventDefault();
    if (black && !["b", "."].includes(event.key)) blacken();
    act();
  }
  addEventListener("keydown", key);

  const actions = { back, forward, menu: () => toggle(menu), overview: () => overview(), speaker: openSpeaker, full, help: () => toggle(help) };
  for (const button of bar.querySelectorAll("[data-act]")) {
    if (button.dataset.act === "menu" && !menu) button.remove();
    else button.addEventListener("click", actions[button.dataset.act]);
  }
  bar.hidden = false;
  let still = 0;
  for (const kind of ["mousemove", "touchstart"]) {
    addEventListener(kind, () => {
      root.classList.add("moved");
      clearTimeout(still);
      still = setTimeout(() => root.classList.remove("moved"), 2000);
    }, { passive: true });
  }

  let touched = null;
  addEventListener("touchstart", (event) => {
    const own = event.target.closest("button, a, dialog, .bar, pre, .table");
    touched = event.touches.length === 1 && !own ? event.changedTouches[0] : null;
  }, { passive: true });
  addEventListener("touchend", (event) => {
    if (!touched || root.classList.contains("overview")) return;
    const x = event.changedTouches[0].clientX - touched.clientX;
    const y = event.changedTouches[0].clientY - touched.clientY;
    if (Math.abs(x) > 45 && Math.abs(x) > Math.abs(y)) { if (x < 0) forward(); else back(); }
  });

  addEventListener("resize", () => { place(); tellSpeaker(); });
  addEventListener("beforeprint", () => slides.forEach(fit));
  place();
  root.classList.add("on");
  if (document.fonts) document.fonts.ready.then(fitAgain);
  follow();
})();
