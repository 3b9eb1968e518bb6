// The one way to the server. It answers {status, data}; status 0 means that nothing came back. What takes long says so.
window.ypomoni = {
  running: 0,

  // What the page looks at goes with everything that is sent, so that the answer is of the same.
  looking() {
    const found = {};
    for (const mark of document.querySelectorAll("[data-looking]")) Object.assign(found, mark.dataset);
    delete found.looking;
    const names = [...document.querySelectorAll("[id^=region-]")].map((region) => region.id.slice(7));
    if (names.length) found.regions = names.join(",");
    return found;
  },

  // Quietly: what only listens does not say that it works.
  async send(address, body, quietly) {
    const headers = { "X-Requested-With": "ypomoni" };
    if (body) {
      headers["X-CSRFToken"] = document.querySelector("meta[name=csrf]").content;
      for (const [name, value] of Object.entries(this.looking())) if (!body.has(name)) body.set(name, value);
    }
    if (!quietly) this.began();
    try {
      const answer = await fetch(address, { method: body ? "POST" : "GET", body, headers });
      const isJson = (answer.headers.get("Content-Type") || "").includes("json");
      return { status: answer.status, data: isJson ? await answer.json() : { html: await answer.text() } };
    } catch {
      return { status: 0, data: { message: "No connection. It is not saved; what you typed stays here. Try again." } };
    } finally {
      if (!quietly) this.ended();
    }
  },

  began(words) {
    this.running += 1;
    const busy = document.getElementById("busy");
    if (this.running === 1 && busy) this.timer = setTimeout(() => { busy.textContent = words || "Working …"; busy.hidden = false; }, words ? 0 : 500);
  },

  ended() {
    this.running -= 1;
    if (this.running > 0) return;
    clearTimeout(this.timer);
    const busy = document.getElementById("busy");
    if (busy) busy.hidden = true;
  },

  // Regions as they are now, looked at in another way where that is said.
  async look(changes, names) {
    const page = document.getElementById("page");
    if (!page) return null;
    const values = { ...this.looking(), ...changes };
    if (names) values.regions = names;
    const { status, data } = await this.send(page.dataset.regionsAt + "?" + new URLSearchParams(values));
    if (status !== 200) return null;
    this.tell("ypomoni-regions", data.regions);
    return data.regions;
  },

  tell(name, detail) {
    window.dispatchEvent(new CustomEvent(name, { detail }));
  },
};

// Figures that a worker is still at are asked for again, a little later each time.
(() => {
  let wait = 1000;
  let timer = 0;
  const askAgain = () => {
    if (timer || !document.querySelector("[data-again]")) return;
    timer = setTimeout(async () => {
      timer = 0;
      wait = Math.min(wait * 1.3, 5000);
      // Nobody loses what he is just typing.
      const typing = document.activeElement?.matches("input, select, textarea") || document.querySelector("dialog[open]");
      if (document.getElementById("page")) await window.ypomoni.look({});
      else if (!typing) window.location.reload();
      askAgain();
    }, wait);
  };
  document.addEventListener("DOMContentLoaded", askAgain);
  window.addEventListener("ypomoni-regions", () => setTimeout(askAgain, 0));
})();

document.addEventListener("submit", (event) => {
  if (event.target.dataset.busy && !event.defaultPrevented) window.ypomoni.began(event.target.dataset.busy);
});
window.addEventListener("pageshow", () => { window.ypomoni.running = 1; window.ypomoni.ended(); });
