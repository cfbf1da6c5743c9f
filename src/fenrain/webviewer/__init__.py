"""The picture of a check kit by an independent web renderer (three.js), in a browser that nobody looks at: what a web page will really
show."""
