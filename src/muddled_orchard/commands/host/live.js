// Shows the page anew whenever the host says that there is news, and keeps what is open and focused.
"use strict";
// Everything is told where it is from here: a proxy may have put it below a path of its own.
const here = document.currentScript.src;
const main = document.querySelector("main[data-live]");
let waiting = false;

async function renew() {
  waiting = false;
  const answer = await fetch(location.href, { headers: { Accept: "text/html" } });
  if (!answer.ok) return;
  const fresh = new DOMParser().parseFromString(await answer.text(), "text/html").querySelector("main");
  if (!fresh) return;
  const open = new Set([...main.querySelectorAll("details[open][id]")].map((one) => one.id));
  const focused = document.activeElement && document.activeElement.id;
  for (const one of fresh.querySelectorAll("details[id]")) one.open = open.has(one.id) || one.open;
  main.replaceChildren(...fresh.childNodes);
  if (focused) document.getElementById(focused)?.focus({ preventScroll: true });
}

function later() {
  if (!waiting) {
    waiting = true;
    setTimeout(renew, 300);
  }
}

if (main) {
  const news = new EventSource(new URL("../events", here));
  news.onmessage = later;
  setInterval(later, 30000);
}
