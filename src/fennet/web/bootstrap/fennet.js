// The parts of Bootstrap's script that a template names; they start by their data attributes.
import "bootstrap/js/src/dropdown.js"
import "bootstrap/js/src/offcanvas.js"
import "bootstrap/js/src/toast.js"
