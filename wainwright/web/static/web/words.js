/* What scripts say, in the language of the page; they are written in English. */
(() => {
  "use strict";
  const place = document.getElementById("script-words");
  const words = place ? JSON.parse(place.textContent) : {};
  self.said = (text, figures = {}) => (words[text] || text).replace(/\{(\w+)\}/g, (all, name) => (name in figures ? figures[name] : all));

  /* Numbers as the language of the page writes them, read by the rules by which the server reads them; ``places`` as of what is
     typed: with fewer than three, signs with three digits behind each part thousands. */
  const sign = new Intl.NumberFormat(document.documentElement.lang || "en").formatToParts(1.5).find((part) => part.type === "decimal").value;
  self.readNumber = (text, places = 2) => {
    const bare = text.replace(/[%\s\u00a0\u202f]/g, "").replace("−", "-");
    const grouped = sign === "," ? /^-?[1-9]\d{0,2}(\.\d{3})+$/ : /^-?[1-9]\d{0,2}((,\d{3})+|(\.\d{3}){2,})$/;
    const comma = sign === "," ? bare.includes(",") : bare.lastIndexOf(",") > bare.lastIndexOf(".");
    const plain = places < 3 && grouped.test(bare) ? bare.replace(/[.,]/g, "") : comma ? bare.replace(/\./g, "").replace(",", ".") : bare.replace(/,/g, "");
    return Number(plain) || 0;
  };
  self.writeNumber = (value, places, all = false) => (all ? value.toFixed(places) : String(Number(value.toFixed(places)))).replace(".", sign);
})();
