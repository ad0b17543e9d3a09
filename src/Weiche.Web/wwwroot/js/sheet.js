// The sheet is printed by the browser; Weiche keeps in mind from which version.

export function startSheet() {
  const button = document.getElementById("sheet-print");
  if (!button) return;
  const form = document.getElementById("sheet-printed");
  button.addEventListener("click", async () => {
    await fetch(form.action, { method: "POST", body: new FormData(form), headers: { "HX-Request": "true" } });
    print();
    location.reload();
  });
}
