package html

// style is that of the page: one column, as wide as text is read well; three hues with a meaning
// each (what stands in the way, what wants a look, what is verified), which words say too; dark
// where the reader has it so; nothing hidden in print.
const style = `
:root{--ink:#1c2430;--soft:#4d5866;--line:#c9d0d8;--ground:#ffffff;--shade:#f3f5f7;--way:#a11d2d;--look:#7a4a00;--good:#0a5c46}
@media (prefers-color-scheme:dark){:root{--ink:#e8ecf1;--soft:#aab4c0;--line:#3c4653;--ground:#12171e;--shade:#1b222b;--way:#ff9aa5;--look:#f0bd6a;--good:#6fd6b2}}
*{box-sizing:border-box}
body{margin:0;color:var(--ink);background:var(--ground);font:1rem/1.5 system-ui,sans-serif}
main{max-width:62rem;margin:0 auto;padding:1.5rem 1rem 4rem}
h1{font-size:1.5rem;line-height:1.25;margin:0 0 .25rem}
h2{font-size:1.15rem;margin:2.5rem 0 .5rem;padding-top:.5rem;border-top:1px solid var(--line)}
h3{font-size:1rem;margin:1.25rem 0 .25rem}
p{margin:.25rem 0 .75rem;max-width:48rem}
.soft{color:var(--soft)}.way{color:var(--way)}.look{color:var(--look)}.good{color:var(--good)}
.wide{overflow-x:auto}
table{border-collapse:collapse;width:100%;font-size:.925rem}
caption{text-align:left;color:var(--soft);padding:.25rem 0}
th,td{text-align:left;vertical-align:top;padding:.3rem .75rem .3rem 0;border-bottom:1px solid var(--line)}
tbody th{font-weight:400}
thead button{all:unset;cursor:pointer;font-weight:600}
thead button:focus-visible,summary:focus-visible,.wide:focus-visible,nav a:focus-visible{outline:2px solid var(--ink);outline-offset:2px}
code{font:.9em ui-monospace,monospace;background:var(--shade);padding:.1rem .3rem;overflow-wrap:anywhere}
ol,ul{padding-left:2rem;margin:.25rem 0 .75rem}
li{margin:.2rem 0}
details{border-bottom:1px solid var(--line);padding:.4rem 0}
summary{cursor:pointer}
nav{font-size:.925rem;margin:.75rem 0}nav a{color:inherit;margin-right:1rem;white-space:nowrap}
svg{display:block;max-width:100%;height:auto}
svg text{font:12px system-ui,sans-serif;fill:var(--ink);paint-order:stroke;stroke:var(--ground);stroke-width:4px}
.rail{stroke:var(--line);stroke-width:3;fill:none}
.stop{stroke:var(--ink);stroke-width:2;fill:var(--ground)}.stop.done{fill:var(--good);stroke:var(--good)}.stop.hand{stroke:var(--look)}.stop.end{stroke-width:4}.stop.wall{stroke:var(--way)}
.lag{stroke:var(--ink);stroke-width:2;fill:none}.dot{fill:var(--ink)}
@media print{:root{--ground:#fff;--ink:#000;--soft:#333;--line:#999;--shade:#fff}main{max-width:none;padding:0}nav,.tools{display:none}details,tr,li{break-inside:avoid}h2,h3,caption{break-after:avoid}.wide{overflow:visible}}
@media (max-width:40rem){th,td{padding-right:.5rem}h1{font-size:1.25rem}}
`

// script makes tables sortable, and folds and unfolds what is folded; the page says everything
// without it. In print everything is unfolded.
const script = `
for(const t of document.querySelectorAll("table")){t.querySelectorAll("thead th").forEach((h,i)=>{const b=document.createElement("button");b.type="button";b.textContent=h.textContent;h.textContent="";h.append(b);
b.onclick=()=>{const down=h.getAttribute("aria-sort")==="ascending";t.querySelectorAll("thead th").forEach(o=>o.removeAttribute("aria-sort"));h.setAttribute("aria-sort",down?"descending":"ascending");
const rows=[...t.tBodies[0].rows],key=r=>r.cells[i].dataset.key??r.cells[i].textContent;rows.sort((a,b)=>key(a).localeCompare(key(b),"en",{numeric:true})*(down?-1:1));t.tBodies[0].append(...rows)}})}
const all=document.querySelectorAll("details"),tool=document.querySelector(".tools");
if(tool&&all.length){const b=document.createElement("button");b.type="button";let open=false;const say=()=>b.textContent=open?"Fold everything":"Unfold everything";say();b.onclick=()=>{open=!open;all.forEach(d=>d.open=open);say()};tool.append(b)}
addEventListener("beforeprint",()=>all.forEach(d=>d.open=true));
`
