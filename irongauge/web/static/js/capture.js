// Sends a capture and shows how far it is: first the upload, then what the server does with it, line by line as it tells.
// Without scripts the form does the same and shows the result at its end.
document.addEventListener("alpine:init", () => {
  Alpine.data("capture", () => ({
    read: 0,

    part(name) {
      return this.$root.querySelector(`[data-${name}]`);
    },

    send(event) {
      event.preventDefault();
      const form = this.$root;
      const button = form.querySelector('[type="submit"]');
      this.read = 0;
      button.disabled = true;
      this.part("refused").hidden = true;
      this.show("Sending", 0);
      const request = new XMLHttpRequest();
      request.open("POST", form.action);
      request.setRequestHeader("Accept", "text/event-stream");
      request.upload.onprogress = (e) => e.lengthComputable && this.show("Sending", (0.5 * e.loaded) / e.total);
      request.onprogress = () => this.lines(request);
      request.onload = () => {
        this.lines(request);
        if (request.status >= 400 && this.part("refused").hidden) this.refuse(request.status === 413 ? request.responseText : "It was not taken in. Try again.");
        button.disabled = false;
      };
      request.onerror = () => {
        this.refuse("The connection broke off. Nothing was stored; the file is still chosen, so send it again.");
        button.disabled = false;
      };
      request.send(new FormData(form));
    },

    // The whole lines that came since the last look.
    lines(request) {
      const text = request.responseText;
      for (let end = text.indexOf("\n", this.read); end >= 0; end = text.indexOf("\n", this.read)) {
        const line = text.slice(this.read, end);
        this.read = end + 1;
        let told;
        try {
          told = JSON.parse(line);
        } catch {
          return;
        }
        if (told.refused) this.refuse(told.refused);
        else if (told.done) location.assign(told.done);
        else this.show(told.doing, 0.5 + told.share / 2);
      }
    },

    show(doing, share) {
      this.part("progress").hidden = false;
      this.part("progress").querySelector("progress").value = share;
      this.part("doing").textContent = `${doing} …`;
    },

    refuse(sentence) {
      this.part("progress").hidden = true;
      const place = this.part("refused");
      place.textContent = sentence;
      place.hidden = false;
    },
  }));
});
