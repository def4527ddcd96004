"use strict";
(() => {
  // Copy buttons: the code, without line numbers.
  for (const frame of document.querySelectorAll(".code")) {
    if (!navigator.clipboard) break;
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = "Copy";
    button.addEventListener("click", async () => {
      await navigator.clipboard.writeText(frame.querySelector("code").textContent + "\n");
      button.textContent = "Copied";
      setTimeout(() => { button.textContent = "Copy"; }, 1600);
    });
    frame.append(button);
  }

  // Tabs: each section becomes a panel, its title a tab. Arrow keys go from tab to tab.
  let count = 0;
  for (const tabs of document.querySelectorAll(".tabs")) {
    const sections = [...tabs.children].filter((child) => child.matches(".tab"));
    const list = document.createElement("div");
    list.setAttribute("role", "tablist");
    const buttons = sections.map((section) => {
      const title = section.querySelector(":scope > .tab-title");
      const button = document.createElement("button");
      count += 1;
      button.type = "button";
      button.id = `tab-${count}`;
      button.setAttribute("role", "tab");
      button.innerHTML = title.innerHTML;
      title.remove();
      section.id = `panel-${count}`;
      section.setAttribute("role", "tabpanel");
      section.setAttribute("aria-labelledby", button.id);
      button.setAttribute("aria-controls", section.id);
      list.append(button);
      return button;
    });
    const select = (index, focus) => {
      buttons.forEach((button, at) => {
        button.setAttribute("aria-selected", at === index);
        button.tabIndex = at === index ? 0 : -1;
        sections[at].hidden = at !== index;
      });
      if (focus) buttons[index].focus();
    };
    buttons.forEach((button, at) => {
      button.addEventListener("click", () => select(at, false));
      button.addEventListener("keydown", (event) => {
        const step = { ArrowRight: 1, ArrowLeft: -1, Home: -at, End: buttons.length - 1 - at }[event.key];
        if (step === undefined) return;
        event.preventDefault();
        select((at + step + buttons.length) % buttons.length, true);
      });
    });
    tabs.prepend(list);
    select(0, false);
    tabs.addEventListener("show-panel", (event) => select(sections.indexOf(event.detail), false));
  }

  // A link into a fold or a tab opens it.
  const reveal = () => {
    const target = location.hash.length > 1 && document.getElementById(decodeURIComponent(location.hash.slice(1)));
    for (let at = target; at; at = at.parentElement) {
      if (at.matches("details")) at.open = true;
      if (at.matches(".tab")) at.parentElement.dispatchEvent(new CustomEvent("show-panel", { detail: at }));
    }
    if (target) target.scrollIntoView();
  };
  addEventListener("hashchange", reveal);
  if (location.hash) reveal();

  // All folds at once.
  const foldAll = document.querySelector("[data-fold-all]");
  const folds = [...document.querySelectorAll(".run details.fold")];
  if (foldAll && folds.length) {
    const tell = () => { foldAll.textContent = folds.every((f) => f.open) ? "Hide all code" : "Show all code"; };
    foldAll.parentElement.hidden = false;
    foldAll.addEventListener("click", () => {
      const open = !folds.every((f) => f.open);
      for (const fold of folds) fold.open = open;
      tell();
    });
    for (const fold of folds) fold.addEventListener("toggle", tell);
    tell();
  }

  // The contents follow the reader.
  const contents = document.querySelector("nav.contents");
  if (contents) {
    const details = contents.querySelector("details");
    if (window.matchMedia("(max-width: 900px)").matches) details.open = false;
    const links = new Map([...contents.querySelectorAll("a")].map((a) => [decodeURIComponent(a.hash.slice(1)), a]));
    const headings = [...links.keys()].map((id) => document.getElementById(id)).filter(Boolean);
    let current = null;
    const follow = () => {
      const passed = headings.filter((h) => h.getBoundingClientRect().top < 120);
      const heading = passed.length ? passed[passed.length - 1] : headings[0];
      const link = heading && links.get(heading.id);
      if (link === current) return;
      if (current) current.removeAttribute("aria-current");
      if (link) link.setAttribute("aria-current", "true");
      current = link;
    };
    let waiting = false;
    addEventListener("scroll", () => {
      if (waiting) return;
      waiting = true;
      requestAnimationFrame(() => { waiting = false; follow(); });
    }, { passive: true });
    follow();
  }
})();
