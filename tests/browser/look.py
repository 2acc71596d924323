# Opens a page in headless Chromium through WebDriver and prints what a test asks of it as JSON:
#   look.py PAGE WIDTH HEIGHT [noscript]
import base64
import json
import sys
import time

from selenium import webdriver
from selenium.webdriver.chrome.options import Options
from selenium.webdriver.chrome.service import Service
from selenium.webdriver.common.action_chains import ActionChains

page, width, height = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
scripts = len(sys.argv) < 5
options = Options()
options.binary_location = "/usr/bin/chromium"
for word in ["--headless=new", "--no-sandbox", "--disable-gpu", "--hide-scrollbars"]:
    options.add_argument(word)
options.set_capability("goog:loggingPrefs", {"browser": "ALL", "performance": "ALL"})
if not scripts:
    options.add_experimental_option("prefs", {"profile.managed_default_content_settings.javascript": 2})
driver = webdriver.Chrome(service=Service("/usr/bin/chromedriver"), options=options)
try:
    driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                           {"width": width, "height": height, "deviceScaleFactor": 1, "mobile": False})
    driver.get("file://" + page)
    time.sleep(1)
    requests = []
    for entry in driver.get_log("performance"):
        message = json.loads(entry["message"])["message"]
        if message["method"] == "Network.requestWillBeSent":
            requests.append(message["params"]["request"]["url"])
    facts = driver.execute_script("""
      const seen = e => { const r = e.getBoundingClientRect(); return r.width > 40 && r.height > 40; };
      const all = s => [...document.querySelectorAll(s)];
      const levels = all('h1,h2,h3,h4').map(h => Number(h.tagName[1]));
      const ids = all('[id]').map(e => e.id);
      return {
        title: document.title, lang: document.documentElement.lang,
        width: document.documentElement.scrollWidth,
        panels: all('.live').filter(seen).length,
        stills: all('figure.still').filter(seen).length,
        still_figures: all('figure.still').length,
        unnamed: all('svg').filter(s => s.parentElement.tagName === 'FIGURE' &&
          s.classList.contains('') === false && !s.getAttribute('aria-label')).length,
        levels: levels, repeated_ids: ids.filter((x, i) => ids.indexOf(x) !== i).length,
        dead_links: all('a[href^="#"]').filter(a => !document.getElementById(a.getAttribute('href').slice(1))).length,
        tables: all('table').length,
        tables_without_heads: all('table').filter(t => !t.querySelector('th[scope=col]') || !t.caption).length,
        svg_words: all('figure.still svg text').length,
        scripts_from_text: window.harmed === true,
        chapters: all('.chapter').length };""")
    facts["console"] = [e["message"] for e in driver.get_log("browser")]
    facts["requests"] = [u for u in requests if not u.startswith("file://")]
    if scripts and facts["panels"]:
        # The last panel is in view; its graph is read and zoomed as a hand does it.
        live = driver.find_elements("css selector", ".chapter .live")[0]
        driver.execute_script("document.documentElement.style.scrollBehavior='auto';"
                              "arguments[0].scrollIntoView({block: 'center'})", live)
        draw = live.find_element("css selector", ".draw")
        ActionChains(driver).move_to_element(draw).perform()
        time.sleep(0.3)
        facts["reads"] = live.find_element("css selector", ".reads").text
        whole = driver.execute_script("return arguments[0].graph.xAxisRange()", live)
        ActionChains(driver).move_to_element_with_offset(draw, -100, 0).click_and_hold().move_by_offset(
            200, 0).release().perform()
        time.sleep(0.3)
        zoomed = driver.execute_script("return arguments[0].graph.xAxisRange()", live)
        facts["zoom"] = (zoomed[1] - zoomed[0]) / (whole[1] - whole[0])
    pdf = base64.b64decode(driver.execute_cdp_cmd(
        "Page.printToPDF", {"printBackground": True, "paperWidth": 8.27, "paperHeight": 11.69})["data"])
    facts["pdf_bytes"] = len(pdf)
    driver.execute_cdp_cmd("Emulation.setEmulatedMedia", {"media": "print"})
    if scripts:
        # A4 within its margins, in pixels of the screen.
        driver.execute_cdp_cmd("Emulation.setDeviceMetricsOverride",
                               {"width": 718, "height": 1047, "deviceScaleFactor": 1, "mobile": False})
        facts["cut_tables"] = driver.execute_script(
            "return [...document.querySelectorAll('table')].filter(t => "
            "t.getBoundingClientRect().right > document.documentElement.clientWidth + 1).length")
    print(json.dumps(facts))
finally:
    driver.quit()
