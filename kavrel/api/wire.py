"""The HTTP on the wire: what is no request that can be read is answered with problem details, too."""

from uvicorn.protocols.http.httptools_impl import STATUS_LINE, HttpToolsProtocol

from kavrel.api.details import Problem
from kavrel.api.document import MEDIA_TYPE


class Wire(HttpToolsProtocol):
    """uvicorn's own protocol, but for the answer to what it cannot read."""

    def send_400_response(self, msg: str) -> None:
        """A method that HTTP does not have, a path that is too long, a length that is no number."""
        said = Problem(
            type="urn:kavrel:no-request",
            title="no request",
            status=400,
            detail="This is no HTTP request that can be read: look at its method, path and headers.",
        )
        body = said.model_dump_json().encode()
        head = (
            b"content-type: " + MEDIA_TYPE.encode() + b"\r\n"
            b"content-length: " + str(len(body)).encode() + b"\r\n"
            b"connection: close\r\n\r\n"
        )
        self.transport.write(STATUS_LINE[400] + head + body)
        self.transport.close()
