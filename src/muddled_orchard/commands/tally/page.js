// Without this everything is there to read; with it, the table shows who is behind a bar, and finds a learner.
(() => {
  const rows = [...document.querySelectorAll("table.map tbody tr")];
  const find = document.getElementById("find"), shown = document.getElementById("shown");
  const show = (test, told) => {
    let count = 0;
    for (const row of rows) { row.hidden = !test(row); count += !row.hidden; }
    shown.textContent = told ? `${count} of ${rows.length} ${told}` : "";
  };
  document.querySelector(".tools").hidden = false;
  find.addEventListener("input", () => {
    const word = find.value.toLocaleLowerCase();
    show((row) => row.cells[0].textContent.toLocaleLowerCase().includes(word), word && "have this in their name");
  });
  document.getElementById("all").addEventListener("click", () => { find.value = ""; show(() => true, ""); });
  for (const details of document.querySelectorAll(".outcomes details")) {
    const column = Number(details.parentElement.dataset.column), outcome = details.dataset.outcome;
    const button = document.createElement("button");
    button.type = "button";
    button.textContent = "Show them in the table";
    button.addEventListener("click", () => {
      find.value = "";
      show((row) => row.cells[column].classList.contains(outcome), `: ${details.querySelector("summary").textContent.trim().replace(/\s+/g, " ")}`);
      document.getElementById("map").scrollIntoView();
    });
    details.append(button);
  }
})();
