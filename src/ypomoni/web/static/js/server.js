// The one way to the server. It answers {status, data}; status 0 means that nothing came back.
window.ypomoni = {
  async send(address, body) {
    const headers = { "X-Requested-With": "ypomoni" };
    if (body) headers["X-CSRFToken"] = document.querySelector("meta[name=csrf]").content;
    try {
      const answer = await fetch(address, { method: body ? "POST" : "GET", body, headers });
      const isJson = (answer.headers.get("Content-Type") || "").includes("json");
      return { status: answer.status, data: isJson ? await answer.json() : { html: await answer.text() } };
    } catch {
      return { status: 0, data: { message: "No connection. It is not saved; what you typed stays here. Try again." } };
    }
  },
  tell(name, detail) {
    window.dispatchEvent(new CustomEvent(name, { detail }));
  },
};
