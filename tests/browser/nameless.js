// Controls that say nothing of themselves.
() => [...document.querySelectorAll("button, input, select, textarea, a[href], [role=button]")]
  .filter((e) => { const box = e.getBoundingClientRect();
    return box.width && !e.closest("[aria-hidden=true]") && !(e.getAttribute("aria-label") || e.getAttribute("aria-labelledby") || e.textContent.trim() || e.labels?.length || e.title); })
  .map((e) => e.outerHTML.slice(0, 160))
