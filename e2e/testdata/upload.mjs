// Uploads a file with a tus client as its makers publish it.
import { createReadStream, statSync } from "node:fs";
import { createRequire } from "node:module";

const [modules, endpoint, token, name, path] = process.argv.slice(2);
const tus = createRequire(modules + "/")("tus-js-client");
let broke = 0;
const upload = new tus.Upload(createReadStream(path), {
  endpoint,
  uploadSize: statSync(path).size,
  headers: { Authorization: "Bearer " + token },
  metadata: { case: name, filename: path },
  retryDelays: [0, 100, 500, 1000, 2000],
  onShouldRetry: () => ++broke < 5,
  onError: (e) => {
    console.error(String(e));
    process.exitCode = 1;
  },
  onSuccess: () => console.log(JSON.stringify({ url: upload.url, broke })),
});
upload.start();
