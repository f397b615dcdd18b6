#!/usr/bin/env python3
"""A headless browser for tests and pictures, driven over a pipe. As a program: browser.py PAGE PICTURE [WIDTH HEIGHT]"""
import base64
import json
import os
import pathlib
import select
import shutil
import subprocess
import sys
import tempfile
import time


def find():
    """The path of the browser; None: it is not installed."""
    return shutil.which("chromium")


class Browser:
    def __init__(self, width=1280, height=800):
        self.profile = tempfile.TemporaryDirectory()
        to_browser, self.write = os.pipe()
        self.read, from_browser = os.pipe()

        def give_pipes():  # it reads commands from 3 and writes to 4
            reading, writing = os.dup(to_browser), os.dup(from_browser)
            os.dup2(reading, 3)
            os.dup2(writing, 4)

        self.process = subprocess.Popen(
            [find(), "--headless=new", "--no-sandbox", "--disable-gpu", "--hide-scrollbars", "--no-first-run",
             "--disable-dev-shm-usage", "--remote-debugging-pipe", f"--user-data-dir={self.profile.name}",
             f"--window-size={width},{height}", "about:blank"],
            preexec_fn=give_pipes, close_fds=False, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        os.close(to_browser)
        os.close(from_browser)
        self.rest = b""
        self.number = 0
        self.session = None
        self.loaded = False
        self.problems = []  # errors in the console, and what would have gone to the network
        target = self.call("Target.createTarget", url="about:blank")["targetId"]
        self.session = self.call("Target.attachToTarget", targetId=target, flatten=True)["sessionId"]
        for domain in ("Page", "Runtime", "Log", "Network"):
            self.call(f"{domain}.enable")
        self.size(width, height)

    def size(self, width, height, mobile=False):
        self.call("Emulation.setDeviceMetricsOverride", width=width, height=height, deviceScaleFactor=1, mobile=mobile)

    def _message(self, seconds=30):
        end = time.monotonic() + seconds
        while b"\0" not in self.rest:
            if not select.select([self.read], [], [], max(0, end - time.monotonic()))[0]:
                raise TimeoutError("the browser does not answer")
            part = os.read(self.read, 1 << 20)
            if not part:
                raise RuntimeError("the browser has ended")
            self.rest += part
        text, self.rest = self.rest.split(b"\0", 1)
        message = json.loads(text)
        method, values = message.get("method"), message.get("params", {})
        if method == "Page.loadEventFired":
            self.loaded = True
        elif method == "Runtime.exceptionThrown":
            self.problems.append(json.dumps(values["exceptionDetails"])[:400])
        elif method == "Runtime.consoleAPICalled" and values["type"] in ("error", "warning"):
            self.problems.append(json.dumps(values["args"])[:400])
        elif method == "Log.entryAdded" and values["entry"]["level"] == "error":
            self.problems.append(values["entry"]["text"])
        elif method == "Page.javascriptDialogOpening":
            self.problems.append("a dialog: " + values["message"])
            os.write(self.write, b'{"id":0,"sessionId":"%s","method":"Page.handleJavaScriptDialog","params":{"accept":true}}\0'
                     % self.session.encode())
        elif method == "Network.requestWillBeSent" and not values["request"]["url"].startswith(("file:", "data:")):
            self.problems.append("asks the network for " + values["request"]["url"])
        return message

    def call(self, method, **parameters):
        self.number += 1
        message = {"id": self.number, "method": method, "params": parameters}
        if self.session:
            message["sessionId"] = self.session
        os.write(self.write, json.dumps(message).encode() + b"\0")
        while True:
            answer = self._message()
            if answer.get("id") == self.number:
                if "error" in answer:
                    raise RuntimeError(f"{method}: {answer['error']}")
                return answer["result"]

    def open(self, path, fragment=""):
        self.loaded = False
        self.call("Page.navigate", url=pathlib.Path(path).resolve().as_uri() + fragment)
        while not self.loaded:
            self._message()
        self.settle()

    def settle(self):
        """Until what was asked for is drawn."""
        self.run("new Promise(done => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done, 30))))")

    def run(self, script):
        """The value of an expression of JavaScript."""
        answer = self.call("Runtime.evaluate", expression=script, returnByValue=True, awaitPromise=True)
        if "exceptionDetails" in answer:
            raise RuntimeError(json.dumps(answer["exceptionDetails"])[:600])
        return answer["result"].get("value")

    def until(self, script, seconds=30):
        """Waits until an expression is true, for what a page does little by little. What it was at last."""
        end = time.monotonic() + seconds
        while not (value := self.run(script)) and time.monotonic() < end:
            time.sleep(0.05)
        return value

    def box(self, selector):
        return self.run(f"(() => {{ const node = document.querySelector({json.dumps(selector)}); node.scrollIntoView({{block: 'center'}});"
                        "const box = node.getBoundingClientRect(); return [box.x, box.y, box.width, box.height]; })()")

    def point(self, selector, across=0.5, down=0.5):
        x, y, width, height = self.box(selector)
        self.call("Input.dispatchMouseEvent", type="mouseMoved", x=x + across * width, y=y + down * height)
        self.settle()

    def click(self, selector, count=1):
        x, y, width, height = self.box(selector)
        for kind in ("mousePressed", "mouseReleased"):
            self.call("Input.dispatchMouseEvent", type=kind, x=x + width / 2, y=y + height / 2, button="left", clickCount=count)
        self.settle()

    def key(self, key):
        for kind in ("keyDown", "keyUp"):
            self.call("Input.dispatchKeyEvent", type=kind, key=key, **({"text": key} if kind == "keyDown" and len(key) == 1 else {}))
        self.settle()

    def picture(self, path):
        self.settle()
        pathlib.Path(path).write_bytes(base64.b64decode(self.call("Page.captureScreenshot", format="png")["data"]))

    def close(self):
        try:
            self.session = None
            self.call("Browser.close")
        except (RuntimeError, OSError, TimeoutError):
            pass
        self.process.wait(timeout=20)
        self.profile.cleanup()


if __name__ == "__main__":
    one = Browser(*map(int, sys.argv[3:5]))
    one.open(sys.argv[1])
    one.picture(sys.argv[2])
    one.close()
