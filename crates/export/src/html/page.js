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

  // All folds at once.
  const foldAll = document.querySelector("[data-fold-all]");
  const folds = [...document.querySelectorAll("details.fold")];
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
