import htmx from 'htmx.org/dist/htmx.esm.js';
import { stopLoading } from './loading.js';

// Shows another view of this page: the answer and the strip change, the editor stays.
export function go(url, replace = false) {
  // Another page is fetched whole: its parts are not those of this one.
  if (!document.getElementById('view') || new URL(url, location.href).pathname !== location.pathname) {
    location.assign(url);
    return;
  }
  stopLoading();
  htmx.ajax('GET', url, {
    source: '#page',
    target: '#view',
    swap: 'outerHTML',
    select: '#view',
    selectOOB: '#counts,#parameters,#strip,#state,#tell,#keep',
    push: replace ? undefined : 'true',
  });
}
