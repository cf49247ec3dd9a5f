import { chromium } from "@playwright/test";
const b = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--headless","--no-sandbox","--disable-gpu","--disable-quic","--no-first-run"] });
const shots = process.argv.slice(2);
const width = Number(process.env.W||1280), height = Number(process.env.H||800);
const p = await b.newPage({ viewport: { width, height }, colorScheme: process.env.DARK ? "dark" : "light" });
p.on("console", m => { if (m.type()==="error") console.log("console:", m.text()); });
await p.goto("http://127.0.0.1:8480/");
await p.getByLabel("Name").fill("engineer"); await p.getByLabel("Password").fill("dz5ieh8k3t");
await p.getByRole("button",{name:"Sign in"}).click();
await p.waitForTimeout(1200);
for (const s of shots) { const [path, name, act] = s.split("|");
  await p.goto("http://127.0.0.1:8480"+path); await p.waitForTimeout(1500);
  if (act) await eval("(async()=>{"+act+"})()");
  await p.screenshot({ path: "/tmp/w/"+name+".png" }); }
await b.close();
