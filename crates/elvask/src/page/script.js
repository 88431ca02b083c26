"use strict";
// Shows the filters, which do nothing without a script, and makes them work.
(function () {
  var form = document.getElementById("filter");
  var findings = Array.prototype.slice.call(document.querySelectorAll(".finding"));
  var shown = document.getElementById("shown");
  var words = document.getElementById("words");
  if (form && words && shown) {
    var filter = function () {
      var wanted = words.value.trim().toLowerCase();
      var alone = document.getElementById("new");
      var levels = Array.prototype.map.call(form.querySelectorAll("input[value]:checked"), function (box) { return box.value; });
      var number = 0;
      findings.forEach(function (one) {
        var fits = (!alone || !alone.checked || one.dataset.new === "yes") && levels.indexOf(one.dataset.level) >= 0 && one.textContent.toLowerCase().indexOf(wanted) >= 0;
        one.hidden = !fits;
        if (fits) { number += 1; }
      });
      shown.textContent = number + " of " + findings.length + " shown";
    };
    form.hidden = false;
    form.addEventListener("input", filter);
    filter();
  }
  // On paper everything is open.
  var closed = [];
  window.addEventListener("beforeprint", function () {
    closed = Array.prototype.slice.call(document.querySelectorAll("details:not([open])"));
    closed.forEach(function (one) { one.open = true; });
  });
  window.addEventListener("afterprint", function () {
    closed.forEach(function (one) { one.open = false; });
  });
})();
