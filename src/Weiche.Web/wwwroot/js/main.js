// Starts the parts of the page, each of which does one thing.
import { startBalance } from "./balance.js";
import { startBench } from "./bench.js";
import { startGear } from "./gear.js";
import { startGrid } from "./grid.js";
import { startKeys } from "./keys.js";
import { startLamps } from "./lamps.js";
import { connect } from "./live.js";
import { startPage } from "./page.js";
import { startPlan } from "./plan.js";
import { startSound } from "./sound.js";
import { startStrip } from "./strip.js";
import { startSwap } from "./swap.js";
import { startWatch } from "./watch.js";

const live = connect();
startPage(live);
startSwap();
startLamps(live);
startPlan();
startGrid();
startStrip(live);
startBalance();
startGear(live);
startWatch(live);
startBench(live);
startSound(live);
startKeys();
