/* Searches the pages with no server: a page that was opened as a file may neither fetch an index nor start a
   worker, so lunr and the index (as PAGES) stand above, in this same file. */
document.addEventListener("DOMContentLoaded", () => {
  const asked = document.getElementById("mkdocs-search-query");
  const found = document.getElementById("mkdocs-search-results");
  if (!asked || !found) return;
  const pages = new Map(PAGES.map((page) => [page.location, page]));
  const index = lunr(function () {
    this.ref("location");
    this.field("title", { boost: 10 });
    this.field("text");
    for (const page of PAGES) this.add(page);
  });

  function summary(text, words) {
    const low = text.toLowerCase();
    const at = Math.max(0, ...words.map((word) => low.indexOf(word)));
    const from = Math.max(0, text.lastIndexOf(" ", Math.max(0, at - 80)));
    return (from ? "... " : "") + text.slice(from, from + 240).trim() + (text.length > from + 240 ? " ..." : "");
  }

  function search() {
    const words = asked.value.toLowerCase().split(/[^\w]+/).filter((word) => word && lunr.stopWordFilter(word));
    const hits = index.query((query) => {
      for (const word of words) {
        query.term(word, { presence: lunr.Query.presence.REQUIRED });
      }
    });
    found.replaceChildren(...hits.slice(0, 40).map(({ ref }) => {
      const page = pages.get(ref);
      const article = document.createElement("article");
      const link = document.createElement("a");
      link.href = new URL(ref, new URL(base_url + "/", document.location)).href;
      link.textContent = page.title;
      const said = document.createElement("p");
      said.textContent = summary(page.text, words);
      article.append(document.createElement("h3"), said);
      article.firstChild.append(link);
      return article;
    }));
    if (!hits.length && words.length) found.textContent = found.dataset.noResultsText;
  }

  asked.value = new URLSearchParams(document.location.search).get("q") ?? asked.value;
  asked.addEventListener("input", search);
  search();
});
