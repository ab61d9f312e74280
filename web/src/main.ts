/** Where the app begins: it asks first, then it draws. */
import "./ahead";

void import("./app/start");
