// What a note is about goes to the web page around.
if (parent !== window) parent.postMessage({ incipit: 'error', reason: document.body.dataset.reason }, '*');
