// Reads an address as a website does that is given it on a line of its own: by
// discovery, with a consumer that knows nothing of us.
import { unfurl } from 'unfurl.js';

const { oEmbed, open_graph: graph } = await unfurl(process.argv[2], { oembed: true });
console.log(JSON.stringify({ oEmbed, graph }));
