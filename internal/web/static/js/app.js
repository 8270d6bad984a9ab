// Everything a page needs; each module has one purpose.
import "./swap.js";
import "./keys.js";
import "./drop.js";
import "./sheet.js";
import "./tree.js";
import "./preview.js";
import "./pick.js";
