"use strict";
(() => {
  const root = document.documentElement;
  // What the page says in another language than English.
  const said = JSON.parse(root.dataset.words || "{}");
  const word = (key, usual) => said[key] || usual;

  // Figures enlarge; from one, the others are a key, a click or a swipe away.
  const pictures = () => [...document.querySelectorAll("button.enlarge > img")];
  let showEnlarged = null;
  const makeDialog = () => {
    const dialog = document.createElement("dialog");
    dialog.className = "enlarged";
    dialog.setAttribute("aria-label", word("figure", "Figure"));
    const image = document.createElement("img");
    const words = document.createElement("p");
    const bar = document.createElement("div");
    const button = (text, label, act) => {
      const made = document.createElement("button");
      made.type = "button";
      made.textContent = text;
      made.setAttribute("aria-label", label);
      made.addEventListener("click", act);
      bar.append(made);
      return made;
    };
    let at = 0;
    const show = (index) => {
      const all = pictures();
      at = (index + all.length) % all.length;
      image.src = all[at].src;
      image.alt = all[at].alt;
      const caption = all[at].closest("figure")?.querySelector("figcaption");
      words.textContent = caption ? caption.textContent : all[at].alt;
      previous.hidden = next.hidden = all.length < 2;
    };
    const previous = button("\u2190", word("previous-figure", "Previous figure"), () => show(at - 1));
    const next = button("\u2192", word("next-figure", "Next figure"), () => show(at + 1));
    button("\u00d7", word("close", "Close"), () => dialog.close());
    dialog.append(bar, image, words);
    document.body.append(dialog);
    dialog.addEventListener("keydown", (event) => {
      if (event.key === "ArrowRight") show(at + 1);
      if (event.key === "ArrowLeft") show(at - 1);
    });
    dialog.addEventListener("click", (event) => { if (event.target === dialog) dialog.close(); });
    let touched = 0;
    dialog.addEventListener("touchstart", (event) => { touched = event.changedTouches[0].clientX; }, { passive: true });
    dialog.addEventListener("touchend", (event) => {
      const moved = event.changedTouches[0].clientX - touched;
      if (Math.abs(moved) > 40) show(at + (moved < 0 ? 1 : -1));
    });
    dialog.addEventListener("close", () => pictures()[at]?.closest("button").focus());
    return (picture) => { show(pictures().indexOf(picture)); dialog.showModal(); };
  };
  const offerEnlarging = (found) => {
    if (!found.length || !window.HTMLDialogElement) return;
    showEnlarged ||= makeDialog();
    for (const picture of found) {
      if (picture.closest("button.enlarge")) continue;
      const opener = document.createElement("button");
      opener.type = "button";
      opener.className = "enlarge";
      opener.setAttribute("aria-label", word("enlarge", "Enlarge: #").replace("#", picture.alt || word("figure", "figure")));
      picture.replaceWith(opener);
      opener.append(picture);
      opener.addEventListener("click", () => showEnlarged(picture));
    }
  };

  let count = 0;
  // What a script does for the parts of a page. A part that comes in later is dressed when it is told of.
  const dress = (part) => {
    const all = (selector) => [...(part.matches?.(selector) ? [part] : []), ...part.querySelectorAll(selector)];

    // Copy buttons: the code, without line numbers.
    for (const frame of all(".code")) {
      if (!navigator.clipboard) break;
      const button = document.createElement("button");
      button.type = "button";
      button.textContent = word("copy", "Copy");
      button.addEventListener("click", async () => {
        await navigator.clipboard.writeText(frame.querySelector("code").textContent + "\n");
        button.textContent = word("copied", "Copied");
        setTimeout(() => { button.textContent = word("copy", "Copy"); }, 1600);
      });
      frame.append(button);
    }

    // Tabs: each section becomes a panel, its title a tab. Arrow keys go from tab to tab.
    for (const tabs of all(".tabs")) {
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
      tabs.addEventListener("show-panel", (event) => {
        if (event.target === tabs) select(sections.indexOf(event.detail), false);
      });
    }

    offerEnlarging(all(".picture img, article > p > img:only-child, .side-by-side img"));
  };

  dress(document);

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

  // What only a script can do is offered only here.
  const tools = document.querySelector(".tools");
  if (tools) tools.hidden = false;

  // All folds at once.
  const foldAll = document.querySelector("[data-fold-all]");
  const folds = () => [...document.querySelectorAll(".run details.fold")];
  const tellFolds = () => {
    if (foldAll) foldAll.textContent = folds().every((f) => f.open) ? word("fold-all", "Fold all") : word("unfold-all", "Unfold all");
  };
  if (foldAll && folds().length) {
    foldAll.addEventListener("click", () => {
      const open = !folds().every((f) => f.open);
      for (const fold of folds()) fold.open = open;
      tellFolds();
    });
    document.addEventListener("toggle", tellFolds, true);
    tellFolds();
  }

  // Print has what is folded.
  let opened = [];
  addEventListener("beforeprint", () => {
    opened = [...document.querySelectorAll("article details:not([open])")];
    for (const fold of opened) fold.open = true;
  });
  addEventListener("afterprint", () => { for (const fold of opened) fold.open = false; });

  // Light or dark: the reader's choice is kept where the browser keeps anything.
  const switcher = document.querySelector("[data-look-switch]");
  if (switcher) {
    const dark = () => root.dataset.look ? root.dataset.look === "dark"
      : root.hasAttribute("data-dark") || matchMedia("(prefers-color-scheme: dark)").matches;
    const tell = () => { switcher.textContent = dark() ? word("light-page", "Light page") : word("dark-page", "Dark page"); };
    switcher.addEventListener("click", () => {
      root.dataset.look = dark() ? "light" : "dark";
      try { localStorage.setItem("look", root.dataset.look); } catch { /* it holds for this visit */ }
      tell();
    });
    matchMedia("(prefers-color-scheme: dark)").addEventListener("change", tell);
    tell();
  }

  // The contents follow the reader.
  let follow = () => {};
  const followContents = () => {
    const contents = document.querySelector("nav.contents");
    const details = contents && contents.querySelector("details");
    follow = () => {};
    if (!details) return;
    if (window.matchMedia("(max-width: 900px)").matches) details.open = false;
    const links = new Map([...contents.querySelectorAll("a")].map((a) => [decodeURIComponent(a.hash.slice(1)), a]));
    // Entries below those of the first two levels open where the reader is.
    const deep = [...contents.querySelectorAll("ol ol ol")];
    for (const list of deep) list.hidden = true;
    let current = null;
    follow = () => {
      const headings = [...links.keys()].map((id) => document.getElementById(id)).filter(Boolean);
      const passed = headings.filter((h) => h.getBoundingClientRect().top < 120);
      const heading = passed.length ? passed[passed.length - 1] : headings[0];
      const link = heading && links.get(heading.id);
      if (link === current) return;
      if (current) current.removeAttribute("aria-current");
      if (link) link.setAttribute("aria-current", "true");
      for (const list of deep) list.hidden = !(link && list.parentElement.contains(link));
      current = link;
    };
    follow();
  };
  let waiting = false;
  addEventListener("scroll", () => {
    if (waiting) return;
    waiting = true;
    requestAnimationFrame(() => { waiting = false; follow(); });
  }, { passive: true });
  followContents();

  // Parts of the page that were exchanged while it was being read.
  document.addEventListener("parts-exchanged", (event) => {
    for (const part of event.detail) dress(part);
    followContents();
    tellFolds();
  });
})();
