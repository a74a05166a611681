// The stream of what is going on (server-sent events). It is open only while something is waited for and the page is
// looked at; where there is none, things are asked for again after a while.
const waiting = new Set();
let source = null,
  last = null;

function open() {
  if (source || document.hidden || !waiting.size) return;
  source = new EventSource("/events");
  source.addEventListener("now", (e) => {
    last = JSON.parse(e.data);
    for (const look of [...waiting]) look(last);
  });
  source.addEventListener("error", () => {
    if (source?.readyState === EventSource.CLOSED) close(); // there is none to be had: ask again meanwhile
  });
}

function close() {
  source?.close();
  source = last = null;
}

document.addEventListener("visibilitychange", () => (document.hidden ? close() : open()));
addEventListener("pagehide", close);

// until `over` says of what is going on that it is over; for `ms` where there is no stream, for `most` in any case
export function until(over, ms = 700, most = 8000) {
  return new Promise((done) => {
    const began = performance.now();
    const end = () => {
      clearInterval(timer);
      waiting.delete(look);
      if (!waiting.size) close();
      done();
    };
    const look = (now) => {
      if (over(now)) end();
    };
    const timer = setInterval(() => {
      if (source?.readyState !== EventSource.OPEN || performance.now() - began > most) end();
    }, ms);
    waiting.add(look);
    open();
    if (last) look(last);
  });
}

// until a sculpt's job has moved on, or has ended
export function moved(sculpt, ms = 700) {
  let before;
  return until((now) => {
    const job = now.jobs.find((j) => j.sculpt === sculpt);
    const seen = job ? `${job.job} ${job.state} ${job.step} ${job.share}` : "over";
    before ??= seen;
    return seen === "over" || seen !== before;
  }, ms);
}

// how long a sculpt's job takes yet, in words
export function left(sculpt) {
  return last?.jobs.find((j) => j.sculpt === sculpt)?.left ?? "";
}
