// Faders that are heard while they are moved. What is let go is set by its form; until then nothing is written down.

const pause = 60;

export function startBalance() {
  let wanted = null;
  let isAsking = false;

  document.addEventListener("input", (event) => {
    const fader = event.target.closest?.("[data-balance]");
    if (!fader) return;
    fader.closest(".fader").querySelector("output").textContent = `${fader.value} %`;
    wanted = { route: fader.dataset.balance, percent: fader.value };
    ask();
  });
  // What is set now is newer than anything that would still be tried.
  document.addEventListener(
    "change",
    (event) => {
      if (event.target.matches?.("[data-balance]")) wanted = null;
    },
    true,
  );

  async function ask() {
    if (isAsking || !wanted) return;
    isAsking = true;
    const values = new URLSearchParams(wanted);
    wanted = null;
    values.set("__RequestVerificationToken", document.querySelector("input[name=__RequestVerificationToken]")?.value ?? "");
    await fetch("/plan/balance?handler=Try", { method: "POST", headers: { "HX-Request": "true" }, body: values }).catch(() => {});
    setTimeout(() => {
      isAsking = false;
      ask();
    }, pause);
  }
}
