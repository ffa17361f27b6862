// The name that the page's library looks for; without it, it would make code of text, which the page forbids.
var regeneratorRuntime;
