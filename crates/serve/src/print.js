"use strict";
// The print of a document: its pages as pictures. Only those that changed are exchanged; a click leads to the document.
(() => {
  const main = document.querySelector("main");
  const root = new URL(`printed/${encodeURIComponent(main.dataset.file)}/`, new URL("./", location.href));
  let sheets = [];

  // What the bar says and offers beside what is going on: which pages changed, a line to go to, the file itself.
  const changed = document.createElement("span");
  changed.className = "live-pages";
  const form = document.createElement("form");
  form.innerHTML = '<label>Line <input inputmode="numeric" size="4" autocomplete="off"></label>';
  const line = form.querySelector("input");
  const link = document.createElement("a");
  link.href = encodeURIComponent(main.dataset.file);
  link.textContent = "PDF";

  const picture = (at, page) => {
    const image = new Image();
    image.loading = "lazy";
    image.alt = `Page ${at + 1}`;
    image.width = page.width;
    image.height = page.height;
    image.src = new URL(`${at + 1}.svg?${page.digest}`, root);
    return image;
  };
  const isNear = (element) => {
    const box = element.getBoundingClientRect();
    return box.bottom > -innerHeight && box.top < 2 * innerHeight;
  };
  const isSeen = (element) => {
    const box = element.getBoundingClientRect();
    return box.bottom > 0 && box.top < innerHeight;
  };
  const sheet = (at, page) => {
    const figure = document.createElement("figure");
    figure.id = `page-${at + 1}`;
    figure.append(picture(at, page));
    figure.addEventListener("click", (event) => ask(at, figure, event));
    return { figure, page };
  };
  const flash = (figure) => {
    figure.classList.remove("live-changed");
    void figure.offsetWidth;
    figure.classList.add("live-changed");
  };

  // The pages as they are now. What stays is not touched, so that nothing moves.
  const bring = async () => {
    const answer = await fetch(new URL("pages", root), { cache: "no-store" });
    if (!answer.ok) return;
    const pages = await answer.json();
    if (!pages.length) return;
    const isFirst = sheets.length === 0;
    if (isFirst) main.replaceChildren();
    for (const { figure } of sheets.splice(pages.length)) figure.remove();
    const others = [];
    const waiting = [];
    pages.forEach((page, at) => {
      const known = sheets[at];
      if (!known) {
        sheets[at] = sheet(at, page);
        main.append(sheets[at].figure);
      } else if (known.page.digest !== page.digest) {
        const old = known.figure.querySelector("img");
        const fresh = picture(at, page);
        // One that is near is exchanged when it is there, so that no page is ever empty.
        if (isNear(known.figure)) {
          fresh.loading = "eager";
          const exchanged = fresh.decode().catch(() => {}).then(() => old.replaceWith(fresh));
          if (isSeen(known.figure)) waiting.push(exchanged);
        } else {
          old.replaceWith(fresh);
        }
        known.page = page;
        known.figure.querySelectorAll(".live-spot").forEach((spot) => spot.remove());
        flash(known.figure);
      } else return;
      others.push(at + 1);
    });
    await Promise.all(waiting);
    changed.replaceChildren();
    if (!isFirst && others.length) {
      const first = document.createElement("a");
      first.href = `#page-${others[0]}`;
      first.textContent = others.length === 1 ? `page ${others[0]} changed` : `${others.length} pages changed, from ${others[0]}`;
      changed.append(first);
    }
    document.documentElement.dataset.printVersion = String(Number(document.documentElement.dataset.printVersion ?? 0) + 1);
    if (isFirst) goToHash();
  };

  const spot = (figure, page, y, text) => {
    document.querySelectorAll(".live-spot").forEach((old) => old.remove());
    const note = document.createElement("div");
    note.className = "live-spot";
    note.style.top = `${(100 * y) / page.height}%`;
    note.append(...text);
    figure.append(note);
    return note;
  };
  // From the page to the document.
  const ask = async (at, figure, event) => {
    if (event.target.closest(".live-spot")) return;
    const { page } = sheets[at];
    const box = figure.getBoundingClientRect();
    const [x, y] = [((event.clientX - box.left) / box.width) * page.width, ((event.clientY - box.top) / box.height) * page.height];
    const answer = await fetch(new URL(`at/${at + 1}/${x.toFixed(1)}/${y.toFixed(1)}`, root), { method: "POST" });
    if (!answer.ok) return;
    const found = await answer.json();
    const place = document.createElement("span");
    place.className = "live-place";
    place.textContent = `${found.file}:${found.line}`;
    const code = document.createElement("code");
    code.textContent = found.text;
    // Below the line that was meant.
    spot(figure, page, y + 9, [place, code]).setAttribute("role", "status");
    line.value = found.line;
  };
  // From the document to the page.
  const goTo = async (number) => {
    const answer = await fetch(new URL(`line/${number}`, root), { cache: "no-store" });
    if (!answer.ok) return;
    const { page, y } = await answer.json();
    const { figure, page: size } = sheets[page - 1] ?? {};
    if (!figure) return;
    const place = document.createElement("span");
    place.className = "live-place";
    place.textContent = `line ${number}`;
    const here = spot(figure, size, y, [place]);
    here.classList.add("live-here");
    here.scrollIntoView({ block: "center", behavior: "instant" });
  };
  const goToHash = () => {
    const wanted = location.hash.match(/^#line-(\d+)$/);
    if (wanted) goTo(wanted[1]);
  };
  form.addEventListener("submit", (event) => { event.preventDefault(); goTo(line.value.trim()); });
  addEventListener("hashchange", goToHash);
  addEventListener("keydown", (event) => {
    if (event.key === "Escape") document.querySelectorAll(".live-spot").forEach((old) => old.remove());
  });

  let busy = bring();
  document.addEventListener("pages-set", () => { busy = busy.then(bring).catch(() => {}); });
  document.addEventListener("DOMContentLoaded", () => document.querySelector(".live-bar")?.append(changed, link, form));
})();
