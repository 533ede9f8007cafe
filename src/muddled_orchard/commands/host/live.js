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

// A folder is handed in as it is: no form of a browser sends a file by itself as the whole of a request.
document.addEventListener("submit", async (event) => {
  const form = event.target.closest("form[data-folder]");
  if (!form) return;
  event.preventDefault();
  const said = form.querySelector("output");
  const file = form.querySelector("input[type=file]").files[0];
  if (!file) { said.textContent = "Choose the packed folder first."; return; }
  said.textContent = "It is being sent...";
  const headers = { "X-Form-Token": form.dataset.token, "Content-Type": "application/octet-stream" };
  const answer = await fetch(form.action, { method: "POST", body: file, headers });
  if (answer.ok) { renew(); return; }
  const page = new DOMParser().parseFromString(await answer.text(), "text/html");
  said.textContent = page.querySelector("p:last-of-type")?.textContent || page.body.textContent;
});
