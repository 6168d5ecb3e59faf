() => {
  // What is wrong with where things stand, which controls are where, the boxes of what never moves, and words
  // for the head.
  window.lanes = {
    look: (insets) => {
      const $ = (id) => document.getElementById(id);
      const wrong = [];
      const box = (one) => one.getBoundingClientRect();
      const [top, right, bottom, left] = insets;
      const seen = (one) => one.offsetParent !== null && box(one).width > 0;
      // What must never give way is whole, inside of the insets, and nothing is over it.
      for (const id of ["stop", "state", "why", "facts", "next"]) {
        const at = box($(id));
        if (at.left < left - 0.5 || at.top < top - 0.5 || at.right > innerWidth - right + 0.5 || at.bottom > innerHeight - bottom + 0.5) wrong.push(`${id} is not inside`);
        if ($(id).scrollWidth > $(id).clientWidth + 1 || $(id).scrollHeight > $(id).clientHeight + 1) wrong.push(`${id} is clipped`);
      }
      const mains = [...document.querySelectorAll(".big .main")];
      for (const one of [$("stop"), $("next"), ...mains]) {
        const at = box(one);
        for (let i = 0; i < 9; i += 1) for (let j = 0; j < 5; j += 1) {
          const hit = document.elementFromPoint(at.left + (0.06 + 0.11 * i) * at.width, at.top + (0.1 + 0.2 * j) * at.height);
          if (!one.contains(hit)) wrong.push(`${one.id || one.className} is under ${hit?.id || hit?.className}`);
        }
      }
      for (const one of mains) {
        const at = box(one);
        if (at.width < 130 || at.height < 130) wrong.push(`a main stick is ${at.width} by ${at.height}`);
        if (at.left < 16 || at.right > innerWidth - 16) wrong.push("a main stick is at the edge");
      }
      const lanes = ["head", "stage", "stop-lane", "big-left", "big-right", "near-left", "near-right"].map($).filter(seen);
      lanes.forEach((one, at) => lanes.slice(at + 1).forEach((other) => {
        const [a, b] = [box(one), box(other)];
        if (a.left < b.right - 1 && b.left < a.right - 1 && a.top < b.bottom - 1 && b.top < a.bottom - 1) wrong.push(`${one.id} meets ${other.id}`);
      }));
      if (document.documentElement.scrollWidth > innerWidth || document.body.scrollHeight > innerHeight) wrong.push("the document scrolls");
      if (visualViewport.scale !== 1) wrong.push("it is zoomed");
      const pen = document.createElement("canvas").getContext("2d");
      for (const one of document.querySelectorAll("button, [role=slider], input")) {
        if (!seen(one)) continue;
        const at = box(one);
        if (at.width < 43.5 || at.height < 43.5) wrong.push(`${one.textContent || one.id || one.ariaLabel} is ${at.width} by ${at.height}`);
        const style = getComputedStyle(one);
        pen.font = `${style.fontWeight} ${style.fontSize} ${style.fontFamily}`;
        for (const word of one.tagName === "BUTTON" ? one.textContent.split(/ +/) : []) {
          if (pen.measureText(word).width > one.clientWidth + 1) wrong.push(`"${word}" is broken`);
        }
        const zone = one.closest(".zone, #near-middle");
        if (zone && (at.top < box(zone).top - 1 || at.bottom > box(zone).bottom + 1)) wrong.push(`${one.ariaLabel || one.textContent} is cut`);
      }
      if (box($("pages")).height < 40) wrong.push(`the stage is ${box($("pages")).height} high`);
      return wrong;
    },
    controls: () => {
      const names = {};
      for (const one of document.querySelectorAll("[data-controls]")) {
        const at = one.closest(".zone") ? "zone" : one.closest("#near-middle") ? "row" : one.closest("#more") ? "more" : "nowhere";
        for (const name of one.dataset.controls.split(" ")) (names[name] ??= []).push(at);
      }
      return names;
    },
    boxes: () => ["head", "stop", "next", "tabs", "pages"].map((id) => document.getElementById(id)).concat([...document.querySelectorAll(".big .main")]).map((one) => { const b = one.getBoundingClientRect(); return [b.x, b.y, b.width, b.height].map(Math.round).join(); }),
    say: ([word, more, why, facts, next]) => {
      const $ = (id) => document.getElementById(id);
      $("state-word").textContent = word;
      $("state-more").textContent = more;
      $("why").textContent = why;
      $("next-word").textContent = next;
      $("facts").replaceChildren(...facts.map((fact) => { const one = document.createElement("li"); one.textContent = fact; return one; }));
    },
  };
}
