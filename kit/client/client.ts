// Everything works without these files; they only make some of it smoother.
import "./board.ts";
import "./calendar.ts";
import "./conditional-fields.ts";
import "./date-picker.ts";
import "./filter-panel.ts";
import "./find.ts";
import "./formula-words.ts";
import "./grid/grid.ts";
import "./groups.ts";
import "./order.ts";
import "./first-error.ts";
import "./passkeys.ts";
import "./reload.ts";
import "./send-once.ts";
