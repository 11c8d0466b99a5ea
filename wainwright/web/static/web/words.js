/* What scripts say, in the language of the page; they are written in English. */
(() => {
  "use strict";
  const place = document.getElementById("script-words");
  const words = place ? JSON.parse(place.textContent) : {};
  self.said = (text, figures = {}) => (words[text] || text).replace(/\{(\w+)\}/g, (all, name) => (name in figures ? figures[name] : all));
})();
