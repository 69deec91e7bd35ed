// What is done in the background is asked after every two seconds; when it is done the page is loaded anew.
export const progress = (root) => {
  const holder = root.querySelector("[data-progress]");
  if (!holder) return;
  const again = async () => {
    try {
      const response = await fetch(holder.dataset.progress, { headers: { Accept: "application/json" } });
      if (response.ok) {
        const said = await response.json();
        if (said.state !== "waiting") return location.reload();
        holder.querySelector("progress").value = said.share;
        holder.querySelector("[data-lines]").textContent = said.lines.toLocaleString(document.documentElement.lang);
      }
    } catch {
      // Without signal it is asked again later.
    }
    setTimeout(again, 2000);
  };
  setTimeout(again, 1000);
};
