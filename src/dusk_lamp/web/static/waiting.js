// A page that waits for a sculpt to be laid out, then goes on.
const box = document.querySelector("[data-state]");
const timer = setInterval(async () => {
  const answer = await fetch(box.dataset.state);
  if (!answer.ok) return;
  const state = await answer.json();
  if (state.ready || (location.pathname.endsWith("/stand") && state.share > 0.33)) { clearInterval(timer); location.reload(); }
}, 700);
