using Microsoft.Extensions.Primitives;

namespace Weiche.Web.Startup;

/// <summary>What keeps other sites' pages away from this server, and this server's pages on this machine.</summary>
internal static class Doors
{
    private const string Policy =
        "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; font-src 'self'; connect-src 'self'; "
        + "form-action 'self'; frame-ancestors 'none'; base-uri 'none'";

    /// <summary>The hosts by which this server may be called. Another name in the Host header is a trick.</summary>
    internal static readonly string[] Hosts = ["127.0.0.1", "localhost"];

    /// <summary>Refuses requests that a page of another site makes, web sockets included, and sets the headers that
    /// tell a browser to load nothing from elsewhere.</summary>
    internal static void UseDoors(this IApplicationBuilder app) =>
        app.Use(
            async (context, next) =>
            {
                var headers = context.Response.Headers;
                headers.ContentSecurityPolicy = Policy;
                headers.XContentTypeOptions = "nosniff";
                // What a page or a file says is so now. Styles and scripts, which carry a hash, say otherwise for themselves.
                headers.CacheControl = "no-store";
                // Not “no-referrer”: with that a browser hides the origin of plain forms even from their own server.
                headers["Referrer-Policy"] = "same-origin";
                headers["Cross-Origin-Opener-Policy"] = "same-origin";
                if (IsForeign(context.Request.Headers.Origin, context.Request) || context.Request.Headers["Sec-Fetch-Site"] == "cross-site")
                {
                    context.Response.StatusCode = StatusCodes.Status403Forbidden;
                    await context.Response.WriteAsync("This request comes from another site. Weiche answers its own pages only.");
                    return;
                }
                await next(context);
            }
        );

    private static bool IsForeign(StringValues origin, HttpRequest request) =>
        origin.Count > 0 && origin != $"{request.Scheme}://{request.Host}";
}
