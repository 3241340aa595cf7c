import http.server
class H(http.server.BaseHTTPRequestHandler):
    def do_GET(self):
        word = self.path.partition("?")[2]
        if word: print(word, "came with", self.headers.get("Cookie"), flush=True)
        self.send_response(200)
        if not self.headers.get("Cookie"): self.send_header("Set-Cookie", "berth=9; Max-Age=999999999; Path=/")
        self.send_header("Content-Type", "text/html"); self.send_header("Cache-Control", "no-store" if word else "max-age=999999"); self.end_headers()
        self.wfile.write(b"<script>localStorage.tide=(+localStorage.tide||0)+1</script><h1>Tides</h1><img src=/picture>")
    def log_message(self, *a): pass
http.server.HTTPServer(("127.0.0.1", 8123), H).serve_forever()
