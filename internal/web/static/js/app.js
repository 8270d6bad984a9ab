// Everything a page needs; each module has one purpose.
import "./queue.js";
import "./place.js";
import "./keep.js";
import "./swap.js";
import "./again.js";
import "./keys.js";
import "./drop.js";
import "./sheet.js";
import "./tree.js";
import "./entries.js";
import "./preview.js";
import "./pick.js";
import "./ladder.js";
import "./solids.js";
import "./slots.js";
