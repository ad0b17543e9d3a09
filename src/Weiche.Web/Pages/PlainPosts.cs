using Microsoft.AspNetCore.Mvc;
using Microsoft.AspNetCore.Mvc.Filters;

namespace Weiche.Web.Pages;

/// <summary>What is posted is done as it is meant, or not at all: a page that has no handler for it is not found, and a value that is none
/// (a word where a number is asked for, a kind that is not known) changes nothing. Else it would count as 0, as the first kind, as
/// no.</summary>
internal sealed class PlainPosts : IPageFilter
{
    public void OnPageHandlerSelected(PageHandlerSelectedContext context) { }

    public void OnPageHandlerExecuting(PageHandlerExecutingContext context)
    {
        if (!HttpMethods.IsPost(context.HttpContext.Request.Method))
            return;
        if (context.HandlerMethod is null)
        {
            context.Result = new NotFoundResult();
            return;
        }
        if (context.ModelState.IsValid)
            return;
        var (name, entry) = context.ModelState.First(each => each.Value?.Errors.Count > 0);
        var value = entry!.AttemptedValue ?? "";
        var sentence = $"“{(value.Length > 40 ? value[..40] + "…" : value)}” is not possible as “{name}”. Nothing was changed.";
        if (context.HttpContext.Request.WantsFragment())
        {
            // The page stays as it is; the sentence stands in its head.
            context.HttpContext.Response.Headers["HX-Reswap"] = "none";
            context.HttpContext.Response.Say(sentence);
        }
        context.Result = new ContentResult
        {
            Content = sentence,
            ContentType = "text/plain; charset=utf-8",
            StatusCode = StatusCodes.Status422UnprocessableEntity,
        };
    }

    public void OnPageHandlerExecuted(PageHandlerExecutedContext context) { }
}
