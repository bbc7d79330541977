/** The sample application's own look, apart from Lucchetto's. */
export const STYLE = `
:root { color-scheme: light dark; --sky: #eef4f3; --wood: #35302a; --pine: #2f5d50; --snow: #fff; --edge: #c9d5d2; }
@media (prefers-color-scheme: dark) { :root { --sky: #14191a; --wood: #e6e3dc; --pine: #8cc3b2; --snow: #1e2526; --edge: #3a4546; } }
* { box-sizing: border-box; }
body { margin: 0; background: var(--sky); color: var(--wood); font: 17px/1.55 Georgia, "Times New Roman", serif; }
header { display: flex; flex-wrap: wrap; align-items: center; gap: .6rem 1.6rem; padding: .8rem 1.5rem; background: var(--snow); border-bottom: 3px double var(--edge); }
header strong { font-size: 1.25rem; }
nav, .person { display: flex; flex-wrap: wrap; gap: 1.1rem; align-items: center; }
.person { margin-left: auto; }
a { color: var(--pine); }
nav a[aria-current] { text-decoration: none; font-weight: bold; color: var(--wood); }
form { margin: 0; }
.button { font: inherit; background: var(--pine); color: var(--snow); border: 0; border-radius: 3px; padding: .35rem .9rem; text-decoration: none; cursor: pointer; }
main { max-width: 54rem; margin: 2rem auto; padding: 0 1.5rem; }
h1 { font-size: 2rem; line-height: 1.2; }
.message { background: var(--snow); border-left: 5px solid var(--pine); padding: .6rem 1rem; }
table { border-collapse: collapse; width: 100%; background: var(--snow); }
th, td { text-align: left; padding: .5rem .8rem; border-bottom: 1px solid var(--edge); }
td.number, th.number { text-align: right; font-variant-numeric: tabular-nums; }
.forms { columns: 15rem 3; column-gap: 1.5rem; margin-top: 1.5rem; }
.forms form { break-inside: avoid; margin-bottom: 1.5rem; background: var(--snow); border: 1px solid var(--edge); padding: 0 1.2rem 1.2rem; }
.forms label { display: block; margin-bottom: .8rem; }
.forms input { display: block; width: 100%; font: inherit; padding: .35rem .5rem; color: inherit; background: var(--sky); border: 1px solid var(--wood); border-radius: 3px; }
.forms label.beside { display: inline; }
.forms input[type="checkbox"] { display: inline-block; width: auto; }
.forms h2 { margin-top: 1rem; }
.below { margin-top: 2rem; max-width: 26rem; }
.wide { overflow-x: auto; }
.search { display: flex; flex-wrap: wrap; gap: .8rem; align-items: end; margin: 0 0 1rem; }
.search input { display: block; font: inherit; padding: .35rem .5rem; color: inherit; background: var(--snow); border: 1px solid var(--wood); border-radius: 3px; width: 20rem; max-width: 80vw; }
.button.small { font-size: .85rem; padding: .15rem .6rem; }
footer { max-width: 54rem; margin: 3rem auto 2rem; padding: 0 1.5rem; font-size: .85rem; opacity: .75; }
@media (max-width: 32rem) { table { font-size: .85rem; } th, td { padding: .4rem; } }
`;
