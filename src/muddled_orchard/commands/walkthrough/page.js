(() => {
  const steps = [...document.querySelectorAll(".step")];
  const main = document.querySelector("main"), go = document.getElementById("go");
  const back = document.getElementById("back"), on = document.getElementById("on"), all = document.getElementById("all");
  const where = document.getElementById("where");
  let at = 0, shown = null;
  for (const step of steps) {
    const own = step.querySelector("figure.graph");
    if (own) shown = own;
    else if (shown) {
      const again = shown.cloneNode(true);
      again.classList.add("again");
      step.append(again);
    }
  }
  const show = (next, focus = true) => {
    at = Math.max(0, Math.min(steps.length - 1, next));
    steps.forEach((step, number) => step.classList.toggle("here", number === at));
    go.value = steps[at].id;
    back.disabled = at === 0;
    on.disabled = at === steps.length - 1;
    const title = steps[at].querySelector("h2");
    where.textContent = title.textContent;
    history.replaceState(null, "", "#" + steps[at].id);
    if (!main.classList.contains("stepping")) title.scrollIntoView();
    else scrollTo(0, 0);
    if (focus) title.focus({ preventScroll: true });
  };
  const stepping = (yes) => {
    main.classList.toggle("stepping", yes);
    all.setAttribute("aria-pressed", String(!yes));
    show(at, false);
  };
  const named = () => steps.findIndex((step) => "#" + step.id === location.hash || "#" + step.dataset.name === location.hash);
  back.addEventListener("click", () => show(at - 1));
  on.addEventListener("click", () => show(at + 1));
  go.addEventListener("change", () => show(steps.findIndex((step) => step.id === go.value)));
  all.addEventListener("click", () => stepping(!main.classList.contains("stepping")));
  addEventListener("hashchange", () => { if (named() >= 0) show(named()); });
  addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || ["SELECT", "INPUT"].includes(event.target.tagName)) return;
    const to = { ArrowRight: at + 1, ArrowLeft: at - 1, PageDown: at + 1, PageUp: at - 1, Home: 0, End: steps.length - 1 }[event.key];
    if (to === undefined || (event.target.tagName === "PRE" && event.key.startsWith("Arrow"))) return;
    event.preventDefault();
    show(to);
  });
  document.querySelector(".tools").hidden = false;
  at = Math.max(0, named());
  stepping(true);
  addEventListener("load", () => show(at, false));
})();
