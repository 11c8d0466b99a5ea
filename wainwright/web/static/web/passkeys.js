/* What a browser says of a passkey that was not used is said on the page. */
document.addEventListener("allauth.error", (event) => {
  "use strict";
  event.preventDefault();
  const place = document.getElementById("passkey-problem");
  if (!place) return;
  const why = event.detail && event.detail.exception;
  place.textContent = why && why.name === "NotAllowedError"
    ? self.said("No passkey was used: it was called off, or took too long. Try again, or sign in another way.")
    : self.said("This browser could not use a passkey here. Sign in another way.");
  place.hidden = false;
});
