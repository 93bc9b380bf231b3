import { chromium } from "playwright-core";
const [address, ...jobs] = process.argv.slice(2);
const flags="--no-sandbox --disable-quic --disable-background-networking --disable-component-update --disable-sync --no-first-run";
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: flags.split(" ") });
const opened=new Map();
async function ctx(width, dark){
  const k=width+":"+dark; if(opened.has(k)) return opened.get(k);
  const c=await browser.newContext({ viewport:{width, height: width<500?844:800}, colorScheme: dark?"dark":"light"});
  if (process.env.GROUP!=="none") { const p=await c.newPage(); await p.goto(address+"/-/sign-in"); await p.getByRole("button",{name:process.env.GROUP??"Office"}).click(); await p.waitForURL(address+"/"); await p.close(); }
  opened.set(k,c); return c;
}
for (const job of jobs) {
  const [path,name,width="1280",dark="",selector="",js=""]=job.split("|");
  const c=await ctx(Number(width), dark==="dark");
  const p=await c.newPage();
  p.on("console",m=>m.type()==="error"&&console.log("console:",m.text()));
  p.on("pageerror",e=>console.log("pageerror:",e.message));
  await p.goto(address+path);
  if (js) await p.evaluate(js);
  if (selector) await p.locator(selector).first().scrollIntoViewIfNeeded();
  await p.waitForTimeout(300);
  await p.screenshot({path:`/tmp/shots/${name}.png`});
  await p.close();
}
await browser.close();
